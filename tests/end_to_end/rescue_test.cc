// Rescue sessions on wires of their own (network namespaces), with clients that are not
// ours. What happens is in rescue_wires.sh; here is what must come of it.
#include <cstdlib>
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include "tests/end_to_end/process.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::end_to_end {
namespace {

using testing::HasSubstr;
using testing::Not;

class RescueWires : public testing::Test {
 protected:
  // What the scenario says; empty where this machine lets nobody make namespaces.
  std::string play(const std::string& scenario) {
    Arguments command{"unshare", "--net", "--mount"};
    if (::geteuid() != 0) {
      command.insert(command.begin() + 1, {"--user", "--map-root-user"});
    }
    auto probe = command;
    probe.insert(probe.end(), {"ip", "link", "add", "eth1", "type", "veth"});
    if (const auto allowed = run(probe); allowed.code != 0) return "";
    command.insert(command.end(),
                   {VANTRO_SOURCE_DIR "/tests/end_to_end/rescue_wires.sh", scenario,
                    vantrod_program(), vantro_program(), scratch_.path()});
    const auto output = run(command);
    EXPECT_EQ(output.code, 0) << output.err << output.out;
    return output.out;
  }

  fakes::ScratchFolder scratch_;
};

#define PLAY(name)              \
  const auto said = play(name); \
  if (said.empty()) GTEST_SKIP() << "no network namespaces with veth here"

TEST_F(RescueWires, ADeviceGetsItsAddressItsFileAndIsSeenComingBack) {
  PLAY("address");
  EXPECT_THAT(said, HasSubstr("ip=192.0.2.20\n"));
  EXPECT_THAT(said, HasSubstr("siaddr=192.0.2.1\n"));
  EXPECT_THAT(said, HasSubstr("boot_file=dyke200-recovery.img\n"));
  EXPECT_THAT(said, HasSubstr("bootfile=dyke200-recovery.img\n"));
  EXPECT_THAT(said, HasSubstr("router=192.0.2.1\n"));
  EXPECT_THAT(said, HasSubstr("dns=192.0.2.53\n"));
  EXPECT_THAT(said, HasSubstr("domain=marsh.example\n"));
  EXPECT_THAT(said, HasSubstr("ntpsrv=192.0.2.123\n"));
  EXPECT_THAT(said, HasSubstr("the file is whole"));
  EXPECT_THAT(said, HasSubstr("nearest: 'dyke200-recovery.img'"));
  EXPECT_THAT(said, HasSubstr("answers again at 192.0.2.20"));
  EXPECT_THAT(said, HasSubstr("192.0.2.1/24 was removed from eth1"));
  // Addresses, ports, packet sockets.
  EXPECT_THAT(said, HasSubstr("\n0\n0\n0\n"));
  EXPECT_THAT(said, HasSubstr("rescue session 1"));
}

TEST_F(RescueWires, AnotherClientGetsTheSameRenewsAndGivesItBack) {
  PLAY("dhclient");
  EXPECT_THAT(said, HasSubstr("fixed-address 192.0.2.20;"));
  EXPECT_THAT(said, HasSubstr("filename \"dyke200-recovery.img\";"));
  EXPECT_THAT(said, HasSubstr("option vendor-encapsulated-options 1:4:c0:0:2:1;"));
  EXPECT_THAT(said, HasSubstr("ip=192.0.2.20\nlease=600\n"));
  EXPECT_THAT(said, HasSubstr("gave 192.0.2.20 back"));
}

TEST_F(RescueWires, TwoSessionsKeepToTheirOwnWires) {
  PLAY("two");
  EXPECT_THAT(said, HasSubstr("session 1 uses the network 192.0.2.0/24 on eth1"));
  EXPECT_THAT(said, HasSubstr("rescue session 1 is open on eth1"));
  EXPECT_THAT(said, HasSubstr("the second wire has its name"));
  EXPECT_THAT(said, HasSubstr("the first wire has its name"));
  EXPECT_THAT(said, HasSubstr("refused on the first wire"));
  EXPECT_THAT(said, HasSubstr("refused on the second wire"));
  // An address that was there before stays.
  EXPECT_THAT(said, HasSubstr("\n1\nNUMBER"));
}

TEST_F(RescueWires, AnotherAddressServerOnTheWireStopsIt) {
  PLAY("other");
  EXPECT_THAT(said, HasSubstr("192.0.2.254 on eth1; use a separate wire"));
  EXPECT_THAT(said, HasSubstr("code 1"));
  EXPECT_THAT(said, HasSubstr("both answer; the device uses the faster one"));
}

TEST_F(RescueWires, AnAddressThatSomebodyHasIsNotGiven) {
  PLAY("taken");
  EXPECT_THAT(said, HasSubstr("lease of 192.0.2.21 obtained"));
  EXPECT_THAT(said, HasSubstr("192.0.2.20 is in use by 02:00:5e:10:00:63, so "));
}

TEST_F(RescueWires, NothingRemainsHoweverItEnds) {
  PLAY("ends");
  EXPECT_THAT(said, HasSubstr("open\n1\n2\n2\n"));
  EXPECT_THAT(said, HasSubstr("time is over\n0\n0\n0\n"));
  EXPECT_THAT(said, HasSubstr("SIGTERM\n0\n0\n0\n"));
  EXPECT_THAT(said, HasSubstr("the server was stopped"));
  EXPECT_THAT(said, HasSubstr("SIGKILL\n1\n"));
  EXPECT_THAT(said, HasSubstr("restarted\n0\n0\n0\n"));
  EXPECT_THAT(said, HasSubstr("the server stopped without ending it"));
  EXPECT_THAT(said, HasSubstr("nobody answers"));
}

TEST_F(RescueWires, AThousandDevicesThatAskAtOnceAreAllServed) {
  PLAY("thousand");
  EXPECT_THAT(said, HasSubstr("1000 devices have 1000 addresses"));
  const auto at = said.find("VmHWM:");
  ASSERT_NE(at, std::string::npos);
  // Under a sanitizer a multiple of it.
  const long most = std::getenv("VANTRO_PROGRAMS") == nullptr ? 120'000 : 900'000;
  EXPECT_LT(std::stol(said.substr(at + 6)), most) << "KiB of memory";
}

TEST_F(RescueWires, AnImageIsPushedToADeviceThatBeginsToListen) {
  PLAY("push");
  EXPECT_THAT(said, HasSubstr("'sluice.bin' was loaded completely"));
  EXPECT_THAT(said, HasSubstr("LAST BLOCK ACKNOWLEDGED, LEAVE IT ALONE"));
  EXPECT_THAT(said, HasSubstr("whole with --lose=7\n"));
  EXPECT_THAT(said, HasSubstr("whole with --lose=7 --refuse-options"));
  EXPECT_THAT(said, HasSubstr("whole with --lose=7 --options"));
  EXPECT_THAT(said, HasSubstr("the device has it whole"));
  EXPECT_THAT(said, HasSubstr("pushed by"));
}

TEST_F(RescueWires, ANewDeviceGetsItsConfigurationUnderItsOwnName) {
  PLAY("zero-touch");
  EXPECT_THAT(said, HasSubstr("its name depends on the device"));
  EXPECT_THAT(said, HasSubstr("lease of 192.0.2.25 obtained"));
  EXPECT_THAT(said, HasSubstr("\nhostname tidegate-rtr\n"));
}

TEST_F(RescueWires, ABootLoaderLoadsTwoStages) {
  PLAY("boot-loader");
  EXPECT_THAT(said, HasSubstr("architecture ARM 32-bit boot loader"));
  EXPECT_THAT(said, HasSubstr("second stage asked for 'stage-two.img'"));
  EXPECT_THAT(said, HasSubstr("LAST BLOCK ACKNOWLEDGED, LET IT RUN"));
  // Its own checksum of what it has in memory.
  const auto at = said.find("expected ");
  ASSERT_NE(at, std::string::npos);
  EXPECT_THAT(said, HasSubstr("==> " + said.substr(at + 9, 8)));
}

TEST_F(RescueWires, ANetworkBootRomLoadsTwoStages) {
  PLAY("boot-rom");
  EXPECT_THAT(said, HasSubstr("architecture x86 BIOS"));
  EXPECT_THAT(said, HasSubstr("'stage-one.txt' was loaded completely"));
  EXPECT_THAT(said, HasSubstr("second stage asked for 'stage-two.img'"));
  EXPECT_THAT(said, HasSubstr("'stage-two.img' was loaded completely"));
}

TEST_F(RescueWires, FromALaptopItNeedsNoService) {
  PLAY("laptop");
  EXPECT_THAT(said, HasSubstr("the file is whole"));
  EXPECT_THAT(said, HasSubstr("code 0"));
  EXPECT_THAT(said, HasSubstr("its time was over"));
  EXPECT_THAT(said, HasSubstr("To put back on your own machine:"));
  EXPECT_THAT(said, HasSubstr("\n0\n0\n0\n"));
}

}  // namespace
}  // namespace vantro::end_to_end
