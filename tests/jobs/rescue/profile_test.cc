#include "jobs/rescue/profile.h"

#include <gtest/gtest.h>

#include "daemon/settings.h"

namespace vantro::jobs::rescue {
namespace {

using namespace std::chrono_literals;

// The profile of this text, or what is wrong with it.
base::Outcome<Profile> read(const std::string& text) {
  const auto settings = daemon::parse_settings("[[rescue]]\n" + text, "v.toml");
  if (!settings) return base::refuse(settings.error());
  return settings->rescues.at(0);
}

std::string wrong(const std::string& text) {
  const auto profile = read(text);
  return profile ? std::string("sound") : profile.error().sentence;
}

const std::string kSound =
    "profile = \"rom\"\nserver = \"192.0.2.1/24\"\ndevice = \"192.0.2.20\"\n";
const std::string kFile = "[[rescue.file]]\nname = \"boot.img\"\n";

TEST(RescueProfile, IsReadAsItStandsInTheSettings) {
  const auto profile = read(
      "profile = \"rom\"\nplatform = \"dyke200\"\nway = \"asks\"\n"
      "server = \"192.0.2.1/25\"\ndevice = \"192.0.2.20 to 192.0.2.22\"\n"
      "over = \"http\"\nport = 8080\nlease_s = 120\nrouters = [\"192.0.2.1\"]\n"
      "tftp_servers = [\"192.0.2.1\", \"192.0.2.2\"]\noption_43 = \"0104\"\n"
      "relays = true\nafterwards = \"192.0.2.9\"\ncheck = \"tcp 22\"\n"
      "[[rescue.file]]\nname = \"one.img\"\narchitecture = 11\nuser_class = \"two\"\n"
      "role = \"recovery\"\ntakes = \"4m to 6m\"\nwhen_loaded = \"let go\"\n"
      "[[rescue.file]]\nname = \"{device}.cfg\"\ngives = \"backup\"\ntold = false\n");
  ASSERT_TRUE(profile) << profile.error().sentence;
  EXPECT_EQ(profile->network().text(), "192.0.2.0/25");
  EXPECT_EQ(profile->devices().size(), 3u);
  EXPECT_EQ(profile->port, 8080);
  EXPECT_EQ(profile->lease, 120s);
  EXPECT_EQ(profile->vendor, (base::ByteBuffer{1, 4}));
  EXPECT_TRUE(profile->relays);
  EXPECT_EQ(parse_back_check(profile->check), 22);
  EXPECT_EQ(profile->files[0].architecture, 11);
  EXPECT_EQ(text(*profile->files[0].takes), "4 to 6 min");
  EXPECT_EQ(profile->files[1].gives, Gives::kBackup);
  EXPECT_FALSE(profile->files[1].told);
}

TEST(RescueProfile, SaysWhatIsWrong) {
  EXPECT_EQ(wrong(kSound + kFile), "sound");
  EXPECT_EQ(wrong(kSound),
            "v.toml:1: rescue: a rescue profile needs a file ([[rescue.file]])");
  const auto expect = [&](const std::string& line, const std::string& why) {
    EXPECT_EQ(wrong(kSound + line + "\n" + kFile), "v.toml:1: rescue: " + why);
  };
  expect("way = \"begs\"", "way: must be one of \"asks\", \"calls\", \"waits\"");
  expect("over = \"gopher\"", "over: 'gopher' is not a protocol");
  expect("over = \"sftp\"", "over: a device without a system has no account for sftp");
  expect("check = \"udp 5\"", "check: 'udp 5' is neither \"ping\" nor \"tcp PORT\"");
  expect("afterwards = \"there\"", "afterwards: 'there' is not an IPv4 address");
  expect("option_43 = \"xy\"",
         "option_43: must be bytes in hexadecimal, 765 at most: \"0104c0000201\"");
  EXPECT_NE(wrong(kSound + "colour = \"red\"\n" + kFile)
                .find("unknown key 'colour' of a rescue profile; known: "),
            std::string::npos);
  const auto with_device = [](const std::string& device) {
    return wrong("profile = \"rom\"\nserver = \"192.0.2.1/24\"\ndevice = \"" + device +
                 "\"\n" + kFile);
  };
  EXPECT_EQ(with_device("198.51.100.1"),
            "v.toml:1: rescue: device: it is not in the server's network 192.0.2.0/24");
  EXPECT_EQ(with_device("192.0.2.1 to 192.0.2.9"),
            "v.toml:1: rescue: device: the server's own address is among the device's");
  EXPECT_EQ(with_device("192.0.2.9 to 192.0.2.8"),
            "v.toml:1: rescue: device: the last address is before the first");
  EXPECT_EQ(with_device("192.0.2.200 to 192.0.2.255"),
            "v.toml:1: rescue: device: the first and the last address of a network are "
            "not a host's");
  EXPECT_EQ(wrong("profile = \"rom\"\nserver = \"192.0.2.1/24\"\n" + kFile),
            "v.toml:1: rescue: a device that asks or waits needs an address (device)");
  EXPECT_EQ(wrong("profile = \"rom\"\nserver = \"192.0.2.1\"\n" + kFile),
            "v.toml:1: rescue: server: must be an address with its prefix: "
            "\"192.0.2.1/24\"");
  EXPECT_EQ(wrong(kSound + kFile + "[[rescue.file]]\nname = \"BOOT.img\"\n"),
            "v.toml:1: rescue: duplicate file 'BOOT.img'");
  EXPECT_EQ(wrong(kSound + "[[rescue.file]]\nname = \"../boot.img\"\n").find("v.toml:1"),
            0u);
  EXPECT_EQ(wrong(kSound + "[[rescue.file]]\nname = \"a\"\ntakes = \"soon\"\n"),
            "v.toml:1: rescue: file: takes: must be a time: \"30s\", \"4m to 6m\"");
}

TEST(RescueProfile, SpansAreWordedByTheirSize) {
  for (const auto& [typed, shown] :
       {std::pair("30s", "30 s"), std::pair("10s to 45s", "10 to 45 s"),
        std::pair("4m to 6m", "4 to 6 min"), std::pair("1h to 2h", "60 to 120 min")}) {
    const auto span = parse_span(typed);
    ASSERT_TRUE(span) << typed;
    EXPECT_EQ(text(*span), shown);
  }
  for (const auto* typed : {"", "4", "m", "6m to 4m", "4m to", "4m-6m", "-4m"}) {
    EXPECT_FALSE(parse_span(typed)) << typed;
  }
}

}  // namespace
}  // namespace vantro::jobs::rescue
