#include "daemon/settings.h"

#include <gtest/gtest.h>

#include "tests/fakes/scratch_folder.h"

namespace vantro::daemon {
namespace {

class SettingsTest : public testing::Test {
 protected:
  base::Outcome<Settings> read(const std::string& text) {
    fakes::write_file(scratch_ / "vantro.toml", text);
    return read_settings(scratch_ / "vantro.toml");
  }
  // What is said of a file, without the folder in front.
  std::string refusal(const std::string& text) {
    const auto settings = read(text);
    return settings ? "taken"
                    : settings.error().sentence.substr(scratch_.path().size() + 1);
  }

  fakes::ScratchFolder scratch_;
};

TEST_F(SettingsTest, HaveAWorkingDefaultForEverything) {
  const auto settings = read("");
  ASSERT_TRUE(settings);
  EXPECT_EQ(settings->state, "/var/lib/vantro");
  EXPECT_EQ(settings->tftp_listen.front().text(), "0.0.0.0:69");
  EXPECT_EQ(settings->management_listen.text(), "127.0.0.1:7070");
}

TEST_F(SettingsTest, AreReadFromTheFile) {
  const auto settings = read(
      "state = \"/srv/vantro\"\n"
      "[tftp]\nlisten = [\"192.0.2.10\", \"192.0.2.11:6969\"]\nmost_resends = 3\n"
      "[backups]\nlargest = \"2 GiB\"\n"
      "[log]\nform = \"json\"\nlevel = \"debug\"\n");
  ASSERT_TRUE(settings) << settings.error().sentence;
  EXPECT_EQ(settings->state, "/srv/vantro");
  ASSERT_EQ(settings->tftp_listen.size(), 2u);
  EXPECT_EQ(settings->tftp_listen[0].text(), "192.0.2.10:69");
  EXPECT_EQ(settings->tftp_listen[1].text(), "192.0.2.11:6969");
  EXPECT_EQ(settings->tftp_most_resends, 3);
  EXPECT_EQ(settings->backups_largest, 2ull << 30);
  EXPECT_EQ(settings->log_form, base::Log::Form::kJson);
}

TEST_F(SettingsTest, RefuseAnUnknownKeyWithItsLineAndTheNearest) {
  EXPECT_EQ(
      refusal("\n[tftp]\nlisten = \"192.0.2.10\"\nmost_transfer = 3\n"),
      "vantro.toml:4: tftp.most_transfer is no setting; nearest: tftp.most_transfers");
  EXPECT_EQ(refusal("sate = \"/x\"\n"),
            "vantro.toml:1: sate is no setting; nearest: state");
  EXPECT_EQ(refusal("[zzz]\nx = 1\n"), "vantro.toml:1: zzz is no setting");
}

TEST_F(SettingsTest, SayWhatAValueMustBe) {
  EXPECT_EQ(refusal("tftp.most_resends = 0\n"),
            "vantro.toml:1: tftp.most_resends: must be a whole number from 1 to 100");
  EXPECT_EQ(refusal("tftp.most_resends = \"3\"\n"),
            "vantro.toml:1: tftp.most_resends: must be a whole number from 1 to 100");
  EXPECT_EQ(refusal("tftp.listen = [\"router:69\"]\n"),
            "vantro.toml:1: tftp.listen: 'router:69' is no IPv4 address with or without "
            "a port, "
            "such as 192.0.2.10:69");
  EXPECT_EQ(refusal("tftp.listen = []\n"),
            "vantro.toml:1: tftp.listen: must name at least one address");
  EXPECT_EQ(
      refusal("management.listen = \"192.0.2.10:7070\"\n"),
      "vantro.toml:1: management.listen: 192.0.2.10 is not a loopback address, and this "
      "API is not encrypted; reach it from elsewhere through an SSH tunnel");
  EXPECT_EQ(refusal("backups.largest = \"much\"\n"),
            "vantro.toml:1: backups.largest: must be a size such as \"16 GiB\"");
  EXPECT_EQ(refusal("log.form = \"xml\"\n"),
            "vantro.toml:1: log.form: must be one of \"json\", \"text\"");
  EXPECT_EQ(refusal("state = \"\"\n"), "vantro.toml:1: state: must not be empty");
}

TEST_F(SettingsTest, SayWhereTheFileItselfIsWrong) {
  EXPECT_EQ(refusal("state = \"/x\n").rfind("vantro.toml:1: ", 0), 0u);
  EXPECT_NE(read_settings("/none/vantro.toml").error().sentence.find("/none/vantro.toml"),
            std::string::npos);
}

TEST_F(SettingsTest, OfTheExampleFileAreTheDefaults) {
  const auto example = read_settings(VANTRO_SOURCE_DIR "/packaging/vantro.toml");
  ASSERT_TRUE(example) << example.error().sentence;
  const Settings defaults;
  EXPECT_EQ(example->state, defaults.state);
  EXPECT_EQ(example->tftp_listen, defaults.tftp_listen);
  EXPECT_EQ(example->tftp_most_transfers, defaults.tftp_most_transfers);
  EXPECT_EQ(example->tftp_resend_after_ms, defaults.tftp_resend_after_ms);
  EXPECT_EQ(example->tftp_most_resends, defaults.tftp_most_resends);
  EXPECT_EQ(example->tftp_give_up_after_s, defaults.tftp_give_up_after_s);
  EXPECT_EQ(example->management_listen, defaults.management_listen);
  EXPECT_EQ(example->backups_largest, defaults.backups_largest);
  EXPECT_EQ(example->backups_keep_partial_days, defaults.backups_keep_partial_days);
  EXPECT_EQ(example->stop_grace_s, defaults.stop_grace_s);
  EXPECT_EQ(example->log_form, defaults.log_form);
  EXPECT_EQ(example->log_level, defaults.log_level);
}

}  // namespace
}  // namespace vantro::daemon
