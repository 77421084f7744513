#include "daemon/settings.h"

#include <algorithm>
#include <gtest/gtest.h>
#include <set>
#include <sstream>

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
  EXPECT_EQ(settings->tftp.listen.front().text(), "0.0.0.0:69");
  EXPECT_EQ(settings->management.listen.front().text(), "127.0.0.1:7070");
}

TEST_F(SettingsTest, AreReadFromTheFile) {
  const auto settings = read(
      "state = \"/srv/vantro\"\n"
      "[tftp]\nlisten = [\"192.0.2.10\", \"192.0.2.11:6969\"]\nmost_unanswered = "
      "3\nreply_ports = \"50000-50999\"\n"
      "[backups]\nlargest = \"2 GiB\"\n"
      "[log]\nform = \"json\"\nlevel = \"debug\"\n");
  ASSERT_TRUE(settings) << settings.error().sentence;
  EXPECT_EQ(settings->state, "/srv/vantro");
  ASSERT_EQ(settings->tftp.listen.size(), 2u);
  EXPECT_EQ(settings->tftp.listen[0].text(), "192.0.2.10:69");
  EXPECT_EQ(settings->tftp.listen[1].text(), "192.0.2.11:6969");
  EXPECT_EQ(settings->tftp.most_unanswered, 3);
  EXPECT_EQ(settings->tftp.reply_ports.range->first, 50000);
  EXPECT_EQ(settings->tftp.reply_ports.range->second, 50999);
  EXPECT_EQ(settings->backups.largest, 2ull << 30);
  EXPECT_EQ(settings->log.form, LogForm::kJson);
}

TEST_F(SettingsTest, RefuseAnUnknownKeyWithItsLineAndTheNearest) {
  EXPECT_EQ(refusal("\n[tftp]\nlisten = \"192.0.2.10\"\nmost_unanswere = 3\n"),
            "vantro.toml:4: tftp.most_unanswere is not a setting; nearest: "
            "tftp.most_unanswered");
  EXPECT_EQ(refusal("sate = \"/x\"\n"),
            "vantro.toml:1: sate is not a setting; nearest: state");
  EXPECT_EQ(refusal("[zzz]\nx = 1\n"), "vantro.toml:1: zzz is not a setting");
}

TEST_F(SettingsTest, SayWhatAValueMustBe) {
  EXPECT_EQ(refusal("tftp.most_unanswered = 21\n"),
            "vantro.toml:1: tftp.most_unanswered: must be a whole number from 0 to 20");
  EXPECT_EQ(refusal("tftp.most_unanswered = \"3\"\n"),
            "vantro.toml:1: tftp.most_unanswered: must be a whole number from 0 to 20");
  EXPECT_EQ(
      refusal("tftp.listen = [\"router:69\"]\n"),
      "vantro.toml:1: tftp.listen: 'router:69' is not an IP address with or without "
      "a port, "
      "such as 192.0.2.10:69 or [2001:db8::10]:69");
  for (const auto* ports : {"80-90", "50000", "60000-50000", "some"}) {
    EXPECT_EQ(
        refusal("tftp.reply_ports = \"" + std::string(ports) + "\"\n"),
        "vantro.toml:1: tftp.reply_ports: must be \"any\", \"listening\" or two ports "
        "from 1024 up such as \"50000-50999\"");
  }
  EXPECT_EQ(refusal("tftp.listen = []\n"),
            "vantro.toml:1: tftp.listen: must name at least one address");
  EXPECT_EQ(refusal("management.listen = \"192.0.2.10:7070\"\n"),
            "vantro.toml:1: management.listen: 192.0.2.10 is not a loopback address, and "
            "without "
            "TLS tokens can be read on the way; use management.tls_listen for it");
  EXPECT_EQ(refusal("backups.largest = \"much\"\n"),
            "vantro.toml:1: backups.largest: must be a size such as \"16 GiB\"");
  EXPECT_EQ(refusal("log.form = \"xml\"\n"),
            "vantro.toml:1: log.form: must be one of \"auto\", \"journal\", "
            "\"json\", \"text\"");
  EXPECT_EQ(refusal("state = \"\"\n"), "vantro.toml:1: state: must not be empty");
}

TEST_F(SettingsTest, HoldRecognisersAndSayWhatIsWrongWithOne) {
  fakes::write_file(scratch_ / "good.toml", R"(
[[recogniser]]
name = "one"
pattern = '(?P<version>[\d.]+)\.img'
words = { a = "b" }
[[recogniser]]
name = "two"
pattern = '.*'
facts = { maker = "Fenrock" }
)");
  const auto good = read_settings(scratch_ / "good.toml");
  ASSERT_TRUE(good) << good.error().sentence;
  ASSERT_EQ(good->recognisers.size(), 2u);
  EXPECT_EQ(good->recognisers[0].words.at("a"), "b");
  EXPECT_EQ(good->recognisers[1].facts.at("maker"), "Fenrock");
  EXPECT_EQ(refusal("[[recogniser]]\nname = \"x\"\n"),
            "vantro.toml:1: recogniser: a recogniser needs a name and a pattern");
  EXPECT_EQ(
      refusal("[[recogniser]]\nname = \"x\"\npattern = \"(?P<verson>.)\"\n"),
      "vantro.toml:1: recogniser: recogniser 'x': 'verson' is not a fact of an image; "
      "there are maker, platform, hardware, role, version, line, stage, space, "
      "remarks, source; nearest: 'version'");
  EXPECT_EQ(
      refusal("[[recogniser]]\nnames = \"x\"\n"),
      "vantro.toml:1: recogniser: unknown key 'names' of a recogniser; known: name, "
      "pattern, facts, words");
  EXPECT_EQ(refusal("recogniser = 5\n"),
            "vantro.toml:1: recogniser: must be written as [[recogniser]]");
  EXPECT_EQ(refusal("[catalogue]\nonly_vouched = 1\n"),
            "vantro.toml:2: catalogue.only_vouched: must be true or false");
}

TEST_F(SettingsTest, SayWhereTheFileItselfIsWrong) {
  EXPECT_EQ(refusal("state = \"/x\n").rfind("vantro.toml:1: ", 0), 0u);
  EXPECT_NE(read_settings("/none/vantro.toml").error().sentence.find("/none/vantro.toml"),
            std::string::npos);
}

// Every setting stands in packaging/vantro.toml with its default, or as a comment where
// it has none.
TEST_F(SettingsTest, OfTheExampleFileAreTheDefaults) {
  const std::string file = VANTRO_SOURCE_DIR "/packaging/vantro.toml";
  const auto example = read_settings(file);
  ASSERT_TRUE(example) << example.error().sentence;
  const auto defaults = about(Settings());
  const auto shown = about(*example);
  ASSERT_EQ(shown.size(), defaults.size());
  std::istringstream lines(fakes::read_file(file));
  std::set<std::string> named;
  std::string section;
  for (std::string line; std::getline(lines, line);) {
    line.erase(0, line.find_first_not_of("# "));
    if (line.starts_with('[')) {
      section = line.substr(line.find_first_not_of('['));
      section = section.substr(0, section.find(']'));
      named.insert(section);
    } else if (const auto equals = line.find(" = "); equals != std::string::npos) {
      named.insert((section.empty() ? "" : section + ".") + line.substr(0, equals));
      // Below a comment's own table.
      named.insert(line.substr(0, equals));
    }
  }
  for (std::size_t i = 0; i < shown.size(); ++i) {
    EXPECT_EQ(shown[i].value, defaults[i].value) << shown[i].key;
    EXPECT_TRUE(named.contains(shown[i].key)) << shown[i].key << " is not in the file";
  }
}

TEST_F(SettingsTest, ThatReloadAreListedInTheExampleFile) {
  const auto text = fakes::read_file(VANTRO_SOURCE_DIR "/packaging/vantro.toml");
  const auto from = text.find("#   tftp.listen, ");
  ASSERT_NE(from, std::string::npos);
  auto list = text.substr(from, text.find("\n\n", from) - from);
  std::replace_if(
      list.begin(), list.end(), [](char c) { return c == '#' || c == ','; }, ' ');
  std::istringstream words(list);
  std::set<std::string> named, reloadable;
  for (std::string word; words >> word;) named.insert(word);
  for (const auto& one : about(Settings())) {
    if (one.reloadable) reloadable.insert(one.key);
  }
  EXPECT_EQ(named, reloadable);
}

// What was given can be compared, tables too, and not only what one line of it tells.
TEST_F(SettingsTest, KeepWhatWasGiven) {
  const std::string rule = "[[rule]]\nfrom = [\"private\"]\nmay = [\"fetch\"]\n";
  const auto one = read(rule + "[limits]\ntransfers = 5\n");
  const auto other = read("limits.transfers = 5\n" + rule);
  ASSERT_TRUE(one && other);
  EXPECT_EQ(one->given, other->given);
  EXPECT_EQ(one->given.at("limits.transfers"), "5");
  const auto third = read("[[rule]]\nfrom = [\"private\"]\nmay = [\"list\"]\n");
  ASSERT_TRUE(third);
  EXPECT_NE(third->given.at("rule"), one->given.at("rule"));
}

// What is told of each is whole, and what it tells is what it takes.
TEST_F(SettingsTest, EachIsToldInWordsThatItTakes) {
  std::set<std::string> keys;
  for (const auto& one : about(Settings())) {
    EXPECT_TRUE(keys.insert(one.key).second) << one.key;
    EXPECT_FALSE(one.meaning.empty()) << one.key;
    EXPECT_FALSE(one.allowed.empty()) << one.key;
    EXPECT_LE(one.meaning.size(), 70u) << one.key;
    if (one.value.empty() || one.allowed == "tables") continue;
    const auto again = read(one.key + " = " + one.value + "\n");
    // HTTPS needs a certificate beside it.
    if (one.key == "https.listen") continue;
    ASSERT_TRUE(again) << again.error().sentence;
    const auto told = about(*again);
    const auto same = std::find_if(told.begin(), told.end(), [&](const auto& other) {
      return other.key == one.key;
    });
    EXPECT_EQ(same->value, one.value) << one.key;
  }
  EXPECT_GT(keys.size(), 60u);
}

TEST_F(SettingsTest, SayWhatIsListenedOn) {
  const auto settings = read(
      "[http]\nlisten = [\"192.0.2.10\", \"[2001:db8::1]:8080\"]\n"
      "[https]\nlisten = \"192.0.2.10\"\ncertificate = \"/etc/vantro.pem\"\n");
  ASSERT_TRUE(settings) << settings.error().sentence;
  EXPECT_EQ(settings->http.listen[0].text(), "192.0.2.10:80");
  EXPECT_EQ(settings->http.listen[1].text(), "[2001:db8::1]:8080");
  EXPECT_EQ(settings->https.listen[0].text(), "192.0.2.10:443");
  EXPECT_TRUE(read("[http]\nlisten = []\n")->http.listen.empty());
  EXPECT_TRUE(read("[http]\nlisten = \"none\"\n")->http.listen.empty());
  EXPECT_EQ(refusal("[tftp]\nlisten = []\n"),
            "vantro.toml:2: tftp.listen: must name at least one address");
  EXPECT_EQ(refusal("[https]\nlisten = \"192.0.2.10\"\n"),
            "vantro.toml: https.listen needs https.certificate, a file in PEM form");
  EXPECT_EQ(refusal("[http]\nlisten = 80\n"),
            "vantro.toml:2: http.listen: must be a list of texts, such as "
            "[\"192.0.2.10:80\"]");
}

TEST_F(SettingsTest, SayHowFtpIsReached) {
  const auto settings = read(
      "[ftp]\nlisten = [\"192.0.2.10\"]\ndata_ports = \"50000-50999\"\n"
      "announce = \"203.0.113.5\"\ncertificate = \"/etc/vantro.pem\"\n");
  ASSERT_TRUE(settings) << settings.error().sentence;
  EXPECT_EQ(settings->ftp.listen[0].text(), "192.0.2.10:21");
  EXPECT_EQ(settings->ftp.data_ports, (PortRange{50000, 50999}));
  EXPECT_EQ(settings->ftp.announce->text(), "203.0.113.5");
  EXPECT_FALSE(read("[ftp]\ndata_ports = \"any\"\n")->ftp.data_ports);
  for (const auto* wrong : {"80-90", "50999-50000", "50000", "50000-70000", "x-y"}) {
    EXPECT_EQ(refusal(std::string("[ftp]\ndata_ports = \"") + wrong + "\"\n"),
              "vantro.toml:2: ftp.data_ports: must be \"any\" or two ports from 1024 up "
              "such as \"50000-50999\"");
  }
  EXPECT_EQ(refusal("[ftp]\nannounce = \"2001:db8::1\"\n"),
            "vantro.toml:2: ftp.announce: must be an IPv4 address such as "
            "\"203.0.113.5\"");
  EXPECT_EQ(refusal("[ftp]\nkey = \"/etc/key.pem\"\n"),
            "vantro.toml: ftp.key needs ftp.certificate, a file in PEM form");
}

TEST_F(SettingsTest, TakeRulesInPlaceOfTheDefaultOnes) {
  EXPECT_EQ(read("")->rules.size(), auth::default_rules().size());
  const auto settings = read(
      "[[rule]]\nfrom = [\"192.0.2.0/24\", \"loopback\"]\nmay = \"fetch\"\n"
      "[[rule]]\nfrom = \"everywhere\"\nmay = [\"fetch\", \"list\"]\nover = "
      "[\"https\"]\nneeds_account = true\n");
  ASSERT_TRUE(settings) << settings.error().sentence;
  ASSERT_EQ(settings->rules.size(), 2u);
  EXPECT_EQ(settings->rules[0].networks.text(), "192.0.2.0/24, loopback");
  EXPECT_FALSE(settings->rules[0].needs_account);
  EXPECT_TRUE(settings->rules[1].networks.everywhere());
  EXPECT_EQ(auth::actions_text(settings->rules[1].may), "fetch, list");
  EXPECT_EQ(settings->rules[1].protocols, std::vector<std::string>{"https"});
  EXPECT_TRUE(settings->rules[1].needs_account);
}

TEST_F(SettingsTest, RefuseARuleThatOpensMoreThanItSays) {
  EXPECT_EQ(
      refusal("[[rule]]\nmay = \"fetch\"\n"),
      "vantro.toml:1: rule: a rule needs 'from', such as \"private\" or \"everywhere\"");
  EXPECT_EQ(
      refusal("[[rule]]\nfrom = []\nmay = \"fetch\"\n"),
      "vantro.toml:1: rule: a rule needs 'from', such as \"private\" or \"everywhere\"");
  EXPECT_EQ(
      refusal("[[rule]]\nfrom = \"\"\nmay = \"fetch\"\n"),
      "vantro.toml:1: rule: a rule needs 'from', such as \"private\" or \"everywhere\"");
  EXPECT_EQ(refusal("[[rule]]\nfrom = \"private\"\n"),
            "vantro.toml:1: rule: a rule needs 'may', such as [\"fetch\"]");
  EXPECT_EQ(refusal("[[rule]]\nfrom = \"private\"\nmay = \"fetch\"\nover = \"gopher\"\n"),
            "vantro.toml:1: rule: over: 'gopher' is not a protocol of this server; it "
            "has tftp, ftp, ftps, http, https, scp, sftp");
  EXPECT_EQ(
      refusal("[[rule]]\nfrom = \"private\"\nmay = \"fetch\"\nnot = 1\n"),
      "vantro.toml:1: rule: unknown setting 'not' of a rule; known: from, may, over, "
      "needs_account");
}

TEST_F(SettingsTest, AllowOlderSshByNameForNamedNetworks) {
  EXPECT_TRUE(read("")->ssh.listen.empty());
  EXPECT_TRUE(read("")->ssh.older.empty());
  const auto settings = read(
      "[ssh]\nlisten = \"192.0.2.10\"\n[[ssh.older]]\nfrom = [\"192.0.2.0/24\"]\n"
      "algorithms = [\"aes128-cbc\", \"ssh-rsa\"]\n[[ssh.older]]\nfrom = \"private\"\n"
      "algorithms = \"hmac-sha1\"\n");
  ASSERT_TRUE(settings) << settings.error().sentence;
  EXPECT_EQ(settings->ssh.listen.at(0).text(), "192.0.2.10:22");
  ASSERT_EQ(settings->ssh.older.size(), 2u);
  EXPECT_EQ(settings->ssh.older[0].networks.text(), "192.0.2.0/24");
  EXPECT_EQ(settings->ssh.older[0].algorithms,
            (std::vector<std::string>{"aes128-cbc", "ssh-rsa"}));
  const std::string line = "vantro.toml:1: ssh.older: ";
  EXPECT_EQ(refusal("[[ssh.older]]\nalgorithms = \"ssh-rsa\"\n"),
            line + "needs 'from', the networks of these old devices");
  EXPECT_EQ(refusal("[[ssh.older]]\nfrom = \"everywhere\"\nalgorithms = \"ssh-rsa\"\n"),
            line + "needs 'from', the networks of these old devices");
  EXPECT_EQ(refusal("[[ssh.older]]\nfrom = \"private\"\n"),
            line + "needs 'algorithms', such as [\"diffie-hellman-group14-sha1\"]");
  EXPECT_TRUE(refusal("[[ssh.older]]\nfrom = \"private\"\nalgorithms = \"rot13\"\n")
                  .starts_with(line + "algorithms: 'rot13' is not an older algorithm; "
                                      "known: diffie-hellman-group14-sha1, "));
  EXPECT_EQ(refusal("[ssh]\nolder = 3\n"),
            "vantro.toml:2: ssh.older: must be written as [[ssh.older]]");
}

}  // namespace
}  // namespace vantro::daemon
