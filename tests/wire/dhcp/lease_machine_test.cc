#include "wire/dhcp/lease_machine.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

namespace vantro::wire::dhcp {
namespace {

using namespace std::chrono_literals;

const auto kServer = base::Address::v4(0xc0000201);

base::Address address(unsigned last) { return base::Address::v4(0xc0000200 + last); }

base::LinkAddress link(unsigned number) {
  return {{0x02, 0, 0x5e, 0x10, static_cast<std::uint8_t>(number >> 8),
           static_cast<std::uint8_t>(number)}};
}

class Leases : public testing::Test {
 protected:
  Leases() {
    plan_.server = kServer;
    plan_.pool = {address(20)};
    plan_.files = {{{}, "", "", "boot.img"}};
  }

  LeaseMachine& machine() {
    if (!machine_) machine_.emplace(plan_);
    return *machine_;
  }
  void step(const Event& event) {
    actions_.clear();
    machine().step(event, now_, actions_);
  }
  static Message message(std::optional<Type> type, unsigned number = 1) {
    Message one;
    one.transaction = 77;
    one.set_link_address(link(number));
    if (type) one.add_number8(option::kMessageType, static_cast<std::uint8_t>(*type));
    return one;
  }
  void hears(Message one) {
    const auto from = one.link_address().value_or(base::LinkAddress{});
    step(Heard{std::move(one), from, nowhere()});
  }
  void hears(std::optional<Type> type, unsigned number = 1) {
    hears(message(type, number));
  }
  void probe_passes() {
    now_ += LeaseMachine::kProbeTime;
    step(DeadlinePassed{});
  }
  void requests(unsigned last, unsigned number = 1) {
    auto one = message(Type::kRequest, number);
    one.add_addresses(option::kServer, {kServer});
    one.add_addresses(option::kRequestedAddress, {address(last)});
    hears(std::move(one));
  }
  // A device that has got its address.
  void binds(unsigned last, unsigned number = 1) {
    hears(Type::kDiscover, number);
    probe_passes();
    requests(last, number);
  }

  const Reply* reply() const {
    for (const auto& one : actions_) {
      if (const auto* found = std::get_if<Reply>(&one)) return found;
    }
    return nullptr;
  }
  const Message& answer() const { return reply()->message; }
  std::string told() const {
    std::string text;
    for (const auto& one : actions_) {
      const auto* found = std::get_if<Told>(&one);
      if (found != nullptr) text += (text.empty() ? "" : "\n") + sentence(*found);
    }
    return text;
  }
  std::string probed() const {
    for (const auto& one : actions_) {
      if (const auto* found = std::get_if<ProbeAddress>(&one)) {
        return found->address.text();
      }
    }
    return "";
  }

  LeasePlan plan_;
  std::optional<LeaseMachine> machine_;
  Actions actions_;
  base::Instant now_{};
};

TEST_F(Leases, ADeviceGetsItsAddressAfterAProbe) {
  auto one = message(Type::kDiscover);
  one.add(option::kArchitecture, {0, 0x15});
  hears(one);
  EXPECT_EQ(reply(), nullptr);
  EXPECT_EQ(probed(), "192.0.2.20");
  EXPECT_EQ(
      told(),
      "02:00:5e:10:00:01 (architecture ARM 32-bit boot loader) asked for an address");
  probe_passes();
  ASSERT_NE(reply(), nullptr);
  EXPECT_EQ(answer().type(), Type::kOffer);
  EXPECT_EQ(answer().yours.text(), "192.0.2.20");
  EXPECT_EQ(reply()->to.text(), "192.0.2.20:68");
  EXPECT_EQ(reply()->to_link, link(1));
  requests(20);
  EXPECT_EQ(answer().type(), Type::kAck);
  EXPECT_EQ(told(), "02:00:5e:10:00:01 got 192.0.2.20, and the file name 'boot.img'");
}

TEST_F(Leases, FileAndServerStandInBothPlaces) {
  hears(Type::kDiscover);
  probe_passes();
  EXPECT_EQ(answer().file, "boot.img");
  EXPECT_EQ(answer().text(option::kBootFile), "boot.img");
  EXPECT_EQ(answer().next_server, kServer);
  EXPECT_EQ(answer().server_name, "192.0.2.1");
  EXPECT_EQ(answer().text(option::kTftpServerName), "192.0.2.1");
  EXPECT_EQ(answer().address(option::kTftpServers), kServer);
  EXPECT_EQ(answer().address(option::kServer), kServer);
  EXPECT_EQ(answer().address(option::kSubnetMask)->text(), "255.255.255.0");
  EXPECT_EQ(answer().address(option::kBroadcastAddress)->text(), "192.0.2.255");
}

TEST_F(Leases, BootpIsAnsweredWithoutATypeAndWithinThreeHundredBytes) {
  hears(std::nullopt);
  probe_passes();
  ASSERT_NE(reply(), nullptr);
  EXPECT_FALSE(answer().type());
  EXPECT_EQ(answer().find(option::kLeaseTime), nullptr);
  EXPECT_EQ(answer().yours.text(), "192.0.2.20");
  EXPECT_EQ(encode(answer(), reply()->longest).datagram.size(), kShortestMessage);
  EXPECT_EQ(told(), "02:00:5e:10:00:01 got 192.0.2.20, and the file name 'boot.img'");
}

TEST_F(Leases, TheFirstThatAsksIsServedAndNobodyElse) {
  binds(20, 1);
  hears(Type::kDiscover, 2);
  EXPECT_EQ(reply(), nullptr);
  EXPECT_EQ(told(),
            "02:00:5e:10:00:02 got no address: this session serves the first device that "
            "asked, 02:00:5e:10:00:01");
  // Told once a minute.
  hears(Type::kDiscover, 2);
  EXPECT_EQ(told(), "");
  // Its lease has run out, and the session is still its own.
  now_ += 1h;
  hears(Type::kDiscover, 2);
  EXPECT_EQ(reply(), nullptr);
  binds(20, 1);
  EXPECT_EQ(answer().type(), Type::kAck);
}

TEST_F(Leases, OneThatNeverTakesWhatItIsOfferedLeavesThePlaceToTheNext) {
  hears(Type::kDiscover, 1);
  probe_passes();
  now_ += LeaseMachine::kOfferStands;
  binds(20, 2);
  EXPECT_EQ(answer().type(), Type::kAck);
}

TEST_F(Leases, OnlyGuestsAreServedAndEachGetsItsOwnAddress) {
  plan_.admission = Admission::kGuests;
  plan_.pool = {address(20), address(21), address(22)};
  plan_.guests = {{link(1), "", "tidegate-rtr", address(22)},
                  {std::nullopt, "FX9-0042", "sluice-sw", std::nullopt}};
  plan_.files = {{{}, "", "", "{device}.cfg"}};
  binds(22, 1);
  EXPECT_EQ(answer().file, "tidegate-rtr.cfg");
  EXPECT_EQ(answer().text(option::kHostName), "tidegate-rtr");
  auto by_serial = message(Type::kDiscover, 7);
  by_serial.add_text(option::kClientId, "unit fx9-0042");
  hears(by_serial);
  EXPECT_EQ(probed(), "192.0.2.20");
  probe_passes();
  EXPECT_EQ(answer().file, "sluice-sw.cfg");
  hears(Type::kDiscover, 9);
  EXPECT_EQ(
      told(),
      "02:00:5e:10:00:09 got no address: this session does not serve its link address");
}

TEST_F(Leases, AnAddressThatSomebodyHasIsNotGiven) {
  plan_.pool = {address(20), address(21)};
  hears(Type::kDiscover);
  EXPECT_EQ(probed(), "192.0.2.20");
  step(AddressInUse{address(20), link(99)});
  EXPECT_EQ(
      told(),
      "192.0.2.20 is in use by 02:00:5e:10:00:63, so 02:00:5e:10:00:01 gets another "
      "one");
  EXPECT_EQ(probed(), "192.0.2.21");
  probe_passes();
  EXPECT_EQ(answer().yours.text(), "192.0.2.21");
}

TEST_F(Leases, TheDeviceItselfMayAnswerTheProbe) {
  hears(Type::kDiscover);
  step(AddressInUse{address(20), link(1)});
  probe_passes();
  EXPECT_EQ(answer().yours.text(), "192.0.2.20");
}

TEST_F(Leases, WhatADeviceFindsInUseIsNotGivenAgain) {
  plan_.pool = {address(20), address(21)};
  binds(20);
  auto decline = message(Type::kDecline);
  decline.add_addresses(option::kServer, {kServer});
  decline.add_addresses(option::kRequestedAddress, {address(20)});
  hears(decline);
  EXPECT_EQ(told(), "02:00:5e:10:00:01 found 192.0.2.20 in use by somebody else");
  binds(21);
  EXPECT_EQ(answer().yours.text(), "192.0.2.21");
}

TEST_F(Leases, WithoutAnAddressLeftItIsToldOnce) {
  plan_.admission = Admission::kAnybody;
  binds(20, 1);
  hears(Type::kDiscover, 2);
  EXPECT_EQ(reply(), nullptr);
  EXPECT_EQ(told(),
            "02:00:5e:10:00:02 asked for an address\n"
            "02:00:5e:10:00:02 got no address: no free address");
}

TEST_F(Leases, AWrongOrRememberedAddressIsRefusedSoThatItBeginsAnew) {
  auto remembered = message(Type::kRequest);
  remembered.add_addresses(option::kRequestedAddress, {base::Address::v4(0x0a000005)});
  hears(remembered);
  ASSERT_NE(reply(), nullptr);
  EXPECT_EQ(answer().type(), Type::kNak);
  EXPECT_EQ(reply()->to.text(), "255.255.255.255:68");
  EXPECT_EQ(told(),
            "02:00:5e:10:00:01 got no address: it asked for 10.0.0.5, which is not its "
            "address here");
}

TEST_F(Leases, RenewalsGoToTheAddressAndTheLinkAddressOfTheDevice) {
  plan_.admission = Admission::kAnybody;
  binds(20);
  now_ += 5min;
  auto renewal = message(Type::kRequest);
  renewal.client = address(20);
  hears(renewal);
  EXPECT_EQ(answer().type(), Type::kAck);
  EXPECT_EQ(reply()->to.text(), "192.0.2.20:68");
  EXPECT_EQ(reply()->to_link, link(1));
  EXPECT_EQ(told(), "02:00:5e:10:00:01 keeps 192.0.2.20");
  now_ += 6min;
  hears(Type::kDiscover, 2);
  EXPECT_EQ(reply(), nullptr);
  // The renewed lease has run out.
  now_ += 5min;
  binds(20, 2);
  EXPECT_EQ(answer().type(), Type::kAck);
}

TEST_F(Leases, TheSecondStageOfABootKeepsTheAddressAndIsToldAnotherFile) {
  plan_.files = {{{}, "second-stage", "", "system.img"}, {{}, "", "", "stage1.img"}};
  binds(20);
  EXPECT_EQ(answer().file, "stage1.img");
  auto again = message(Type::kDiscover);
  again.add_text(option::kClientId, "another identifier");
  again.add_text(option::kUserClass, "second-stage");
  hears(again);
  EXPECT_EQ(answer().type(), Type::kOffer);
  EXPECT_EQ(answer().yours.text(), "192.0.2.20");
  EXPECT_EQ(answer().file, "system.img");
}

TEST_F(Leases, TheFileGoesByArchitectureAndVendorClass) {
  plan_.files = {{11, "", "", "arm64.img"}, {{}, "", "Fenwick", "fenwick.img"}};
  auto arm = message(Type::kDiscover);
  arm.add(option::kArchitecture, {0, 11});
  hears(arm);
  probe_passes();
  EXPECT_EQ(answer().file, "arm64.img");
  machine_.reset();
  auto vendor = message(Type::kDiscover);
  vendor.add_text(option::kVendorClass, "Fenwick.model.200");
  hears(vendor);
  probe_passes();
  EXPECT_EQ(answer().file, "fenwick.img");
  machine_.reset();
  hears(Type::kDiscover);
  probe_passes();
  EXPECT_EQ(answer().file, "");
  EXPECT_EQ(answer().find(option::kBootFile), nullptr);
}

TEST_F(Leases, ARelayIsAnsweredOnlyWhereTheSessionAllowsIt) {
  auto relayed = message(Type::kDiscover);
  relayed.relay = address(9);
  relayed.add(option::kRelayInformation, {1, 2, 3, 4});
  hears(relayed);
  EXPECT_EQ(told(),
            "02:00:5e:10:00:01 got no address: its request came through the relay "
            "192.0.2.9; this session serves its own wire only");
  machine_.reset();
  plan_.relays = true;
  step(Heard{relayed, link(50), address(9)});
  probe_passes();
  EXPECT_EQ(reply()->to.text(), "192.0.2.9:67");
  EXPECT_EQ(reply()->to_link, link(50));
  EXPECT_EQ(answer().options.back().code, option::kRelayInformation);
}

TEST_F(Leases, AnotherAddressServerIsTold) {
  auto offer = message(Type::kOffer);
  offer.reply = true;
  offer.add_addresses(option::kServer, {address(250)});
  hears(offer);
  EXPECT_EQ(told(), "another address server, 192.0.2.250, answers on this wire");
  hears(offer);
  EXPECT_EQ(told(), "");
  hears(Type::kDiscover);
  probe_passes();
  auto request = message(Type::kRequest);
  request.add_addresses(option::kServer, {address(250)});
  request.add_addresses(option::kRequestedAddress, {address(77)});
  hears(request);
  EXPECT_EQ(told(),
            "02:00:5e:10:00:01 accepted the offer of the address server 192.0.2.250");
  // The address is free again.
  binds(20, 2);
  EXPECT_EQ(answer().type(), Type::kAck);
}

TEST_F(Leases, WhoHasAnAddressIsToldTheRestWithoutALease) {
  auto inform = message(Type::kInform);
  inform.client = address(30);
  hears(inform);
  EXPECT_EQ(answer().type(), Type::kAck);
  EXPECT_TRUE(answer().yours.is_unspecified());
  EXPECT_EQ(answer().find(option::kLeaseTime), nullptr);
  EXPECT_EQ(reply()->to.text(), "192.0.2.30:68");
}

TEST_F(Leases, WhatIsGivenBackStaysItsOwnForAMoment) {
  plan_.admission = Admission::kAnybody;
  binds(20, 1);
  auto release = message(Type::kRelease, 1);
  release.client = address(20);
  hears(release);
  EXPECT_EQ(told(), "02:00:5e:10:00:01 gave 192.0.2.20 back");
  hears(Type::kDiscover, 2);
  EXPECT_EQ(reply(), nullptr);
  now_ += LeaseMachine::kOfferStands;
  binds(20, 2);
  EXPECT_EQ(answer().type(), Type::kAck);
}

TEST_F(Leases, NoLeaseOutlivesTheSessionByMoreThanAMinute) {
  plan_.ends = now_ + 5min;
  binds(20);
  EXPECT_EQ(answer().find(option::kLeaseTime)->at(2), (299 >> 8));
  now_ += 4min + 50s;
  auto renewal = message(Type::kRequest);
  renewal.client = address(20);
  hears(renewal);
  EXPECT_EQ(answer().find(option::kLeaseTime)->back(), 60);
}

TEST_F(Leases, MessagesThatMakeNoSenseAreNotAnswered) {
  auto nobody = message(Type::kDiscover);
  nobody.hardware = {};
  hears(nobody);
  EXPECT_TRUE(actions_.empty());
  auto later = message(std::nullopt);
  later.add_number8(option::kMessageType, 10);
  hears(later);
  EXPECT_TRUE(actions_.empty());
  auto empty_request = message(Type::kRequest);
  hears(empty_request);
  EXPECT_EQ(reply(), nullptr);
}

}  // namespace
}  // namespace vantro::wire::dhcp
