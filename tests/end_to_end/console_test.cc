// The console in a real browser, over the real server, as people use it.
#include <csignal>
#include <filesystem>
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <sched.h>
#include <unistd.h>

#include "tests/end_to_end/browser.h"
#include "tests/end_to_end/server_fixture.h"
#include "tests/end_to_end/udp_peer.h"

namespace vantro::end_to_end {
namespace {

using testing::HasSubstr;
using testing::IsEmpty;
using testing::Not;

class ConsoleTest : public ServerFixture {
 protected:
  static constexpr const char* kPassword = "reed-and-water";

  void SetUp() override {
    ServerFixture::SetUp();
    add_person("day-desk", "administer");
    browser_ = std::make_unique<Browser>(scratch_.path());
    browser_->resize(1280, 800);
  }
  void TearDown() override {
    browser_.reset();
    ServerFixture::TearDown();
  }

  void add_person(const std::string& name, const std::string& role,
                  const std::string& rights = "none") {
    const auto made = run({vantro_program(), "person", "add", name, "--role", role,
                           "--rights", rights, "--password"},
                          client_environment(), kPassword + std::string("\n"));
    ASSERT_EQ(made.code, 0) << made.err;
  }
  void log_in(const std::string& name = "day-desk", const std::string& path = "/") {
    browser_->open(url() + path);
    browser_->type("Name", name);
    browser_->type("Password", kPassword);
    browser_->click("button", "Log in");
    browser_->find("button", "Find /");
  }
  void go(const std::string& path) {
    browser_->open(url() + path);
    browser_->find("button", "Find /");
  }
  void run_vantro(const Arguments& arguments) {
    const auto done = vantro(arguments);
    ASSERT_EQ(done.code, 0) << done.err;
  }
  std::string sha256_of(const std::string& file) {
    return run({"/usr/bin/sha256sum", file}).out.substr(0, 64);
  }
  // A device on a platform with a running version, images for it, and a job.
  void plan_a_job() {
    take_in("lattice24-system-4.0.1.img", std::string(300'000, 'n'));
    run_vantro({"image", "change", "lattice24-system-4.0.1.img", "--platform",
                "lattice24", "--role", "system", "--version", "4.0.1", "--remark",
                "needs a cold start"});
    run_vantro({"device", "add", "osier-sw", "--addresses", "127.1.0.3", "--platform",
                "lattice24", "--site", "Osier Works", "--running-version", "3.12.0"});
    run_vantro({"job", "add", "osier-sw", "--image", "lattice24-system-4.0.1.img"});
  }
  // One asks for its records, and says how it is.
  void mirror_asks(const std::string& name, const std::string& report) {
    const auto made = vantro({"person", "add", name, "--role", "mirror"});
    ASSERT_EQ(made.code, 0) << made.err;
    const auto at = made.out.find("vantro-");
    const auto token = made.out.substr(at, made.out.find_first_of(" \n", at) - at);
    const auto asked =
        run({"/usr/bin/curl", "-sS", "-f", "-o", "/dev/null", "-H",
             "Authorization: Bearer " + token, "-H", "Content-Type: application/json",
             "-d", report, url() + "/v1/mirror/news"});
    ASSERT_EQ(asked.code, 0) << asked.err;
  }
  void expect_no_errors() { EXPECT_THAT(browser_->errors(), IsEmpty()); }

  std::unique_ptr<Browser> browser_;
};

TEST_F(ConsoleTest, SomebodyLogsInWithNameAndPasswordOrWithAToken) {
  auto& page = *browser_;
  page.open(url() + "/images?newest=true");
  page.type("Name", "day-desk");
  page.type("Password", "not-the-password");
  page.click("button", "Log in");
  page.says("The name or its password is wrong.");
  page.type("Password", kPassword);
  page.click("button", "Log in");
  // The address that was asked for, with its filters.
  page.find("heading", "Images");
  EXPECT_EQ(page.url(), url() + "/images?newest=true");
  EXPECT_EQ(page.run("return document.cookie"), "") << "no script may see the log-in";
  page.click("button", "day-desk");
  page.click("button", "Log out");
  page.find("button", "Log in");

  const auto made = vantro_json({"token", "add", "console", "--by", "day-desk"});
  page.click("button", "With a token");
  page.type("Token", made["text"].get<std::string>());
  page.click("button", "Log in");
  page.find("heading", "Images");
  // A log-in ends with the token that it was made with.
  run_vantro({"token", "end", "console", "--by", "day-desk"});
  page.says("The page behind this stays as it is");
}

TEST_F(ConsoleTest, AFileIsHandedInAndOneThatDiffersIsNot) {
  auto& page = *browser_;
  const auto image = scratch_ / "causeway4-system-7.6.0.img";
  fakes::write_file(image, std::string(20'000'000, 'c'));
  log_in("day-desk", "/hand-in");
  page.give_file("Drop image files here, or choose them", image);
  page.type("The maker's checksum, or checksum list", std::string(64, '0'));
  page.click("button", "Send 19.1 MiB");
  page.says("differs from the expected one; nothing was added.");
  page.says(std::string(64, '0'));
  page.says(sha256_of(image));
  EXPECT_THAT(vantro_json({"image", "list"})["images"], IsEmpty());

  // What was typed is still there. As the maker publishes it:
  EXPECT_EQ(page.run("return document.querySelector('textarea').value"),
            std::string(64, '0'));
  page.type("The maker's checksum, or checksum list",
            sha256_of(image) + "  causeway4-system-7.6.0.img");
  page.type("Where it came from", "the maker's page");
  page.type("Version", "7.6.0");
  page.click("button", "Send again 19.1 MiB");
  page.says("It is what its maker publishes.");
  page.says(sha256_of(image));
  page.click("link", "causeway4-system-7.6.0.img");
  page.find("heading", "causeway4-system-7.6.0.img");
  page.says("● vouched");
  const auto kept = vantro_json({"image", "info", "causeway4-system-7.6.0.img"});
  EXPECT_EQ(kept["image"]["vouching"], "vouched");
  EXPECT_EQ(kept["image"]["facts"]["version"], "7.6.0");
  EXPECT_EQ(kept["vouches"][0]["source"], "the maker's page");
}

TEST_F(ConsoleTest, AFileThatIsCutShortIsNotAdded) {
  auto& page = *browser_;
  const auto whole = scratch_ / "bundle";
  fakes::write_file(whole, std::string(3'000'000, 'b') + "x");
  run({"/usr/bin/gzip", "-n", "-k", whole});
  const auto all = file("bundle.gz");
  const auto cut = scratch_ / "weir2-release-12.0.5.tgz";
  fakes::write_file(cut, all.substr(0, all.size() - 20));
  log_in("day-desk", "/hand-in");
  page.give_file("Drop image files here, or choose them", cut);
  page.click("button",
             fmt::format("Send {:.1f} KiB", static_cast<double>(all.size() - 20) / 1024));
  page.says("nothing was added. Fetch it again from its maker");
  EXPECT_THAT(vantro_json({"image", "list"})["images"], IsEmpty());
}

TEST_F(ConsoleTest, AHandInGoesOnAfterABrokenConnection) {
  auto& page = *browser_;
  const auto image = scratch_ / "causeway4-system-7.6.0.img";
  run({"/bin/sh", "-c", "head -c 60000000 /dev/urandom > '" + image + "'"});
  log_in("day-desk", "/hand-in");
  page.give_file("Drop image files here, or choose them", image);
  page.find("button", "Send 57.2 MiB");
  page.go_offline(true);
  page.click("button", "Send 57.2 MiB");
  page.says("The server does not answer");
  page.go_offline(false);
  page.click("button", "Send again 57.2 MiB");
  // Broken in the middle of it.
  EXPECT_TRUE(eventually([&] {
    return page.text().find("8.0 MiB of 57.2 MiB") != std::string::npos ||
           page.text().find(" of 57.2 MiB\n") != std::string::npos ||
           page.text().find("Computed here") != std::string::npos;
  }));
  page.go_offline(true);
  page.go_offline(false);
  page.says("Computed here and at the server, the same");
  page.says("No checksum of its maker was given.");
  page.says(sha256_of(image));
  EXPECT_EQ(vantro_json({"image", "info",
                         "causeway4-system-7.6.0.img"})["image"]["digests"]["sha256"],
            sha256_of(image));
}

TEST_F(ConsoleTest, AHandInGoesOnAfterThePageWasClosed) {
  auto& page = *browser_;
  const auto image = scratch_ / "causeway4-system-7.6.0.img";
  run({"/bin/sh", "-c", "head -c 40000000 /dev/urandom > '" + image + "'"});
  const auto send = [&] {
    page.give_file("Drop image files here, or choose them", image);
    page.click("button", "Send 38.1 MiB");
  };
  log_in("day-desk", "/hand-in");
  page.limit_uploads(4'000'000);
  send();
  // At least one piece of 8 MiB is there.
  EXPECT_TRUE(eventually([&] {
    const auto text = page.text();
    return text.find(" of 38.1 MiB") != std::string::npos &&
           text.find("0 B of 38.1 MiB") == std::string::npos;
  }));
  page.open("about:blank");
  page.limit_uploads(-1);
  go("/hand-in");
  send();
  page.says("Computed here and at the server, the same");
  page.says(sha256_of(image));
  // Had it begun again, the first part would wait here for its rest.
  EXPECT_TRUE(std::filesystem::is_empty(own_state() + "/arriving"));
}

// The look inside may take a minute, in which the link breaks.
TEST_F(ConsoleTest, TheAnswerToAHandInMayBeLost) {
  auto& page = *browser_;
  const auto image = scratch_ / "x.img";
  fakes::write_file(image, std::string(3000, 'x'));
  log_in("day-desk", "/hand-in");
  page.give_file("Drop image files here, or choose them", image);
  page.run(
      "const send = window.fetch; let lost = false; window.fetch = async (where, how) => "
      "{"
      "const answer = await send(where, how);"
      "if (!lost && String(where).endsWith('/filing')) {"
      "lost = true; throw new TypeError('lost'); }"
      "return answer; };");
  page.click("button", "Send 2.9 KiB");
  page.says("Computed here and at the server, the same");
  page.says("on offer as 'x.img'");
  EXPECT_EQ(vantro_json({"image", "list"})["images"].size(), 1u);
}

TEST_F(ConsoleTest, ImagesAreBrowsedByPlatformAndLine) {
  auto& page = *browser_;
  for (const std::string version : {"7.4.1", "7.4.2", "7.6.0"}) {
    const auto name = "causeway4-system-" + version + ".img";
    take_in(name, "bytes of " + version);
    run_vantro({"image", "change", name, "--platform", "causeway4", "--role", "system",
                "--version", version});
  }
  take_in("weir2-system-12.0.5.img", "other bytes");
  log_in("day-desk", "/images");
  page.says("1–4 of 4 images");
  page.choose("Platform", "causeway4");
  page.says("1–3 of 3 images");
  EXPECT_EQ(page.url(), url() + "/images?platform=causeway4");
  page.click("checkbox", "Only the newest of each line");
  page.says("1–2 of 2 images");
  EXPECT_THAT(page.text(), Not(HasSubstr("causeway4-system-7.4.1.img")));
  // An address can be kept, and opened again.
  go("/images?platform=causeway4&line=7.4");
  page.says("1–2 of 2 images");
  page.click("checkbox", "Compare causeway4-system-7.4.1.img");
  page.click("checkbox", "Compare causeway4-system-7.4.2.img");
  page.click("button", "Compare the two");
  page.says("different bytes");
  // A name that nobody has.
  go("/images/causeway4-sytsem-7.6.0.img");
  page.click("button", "Use 'causeway4-system-7.6.0.img'");
  page.find("heading", "causeway4-system-7.6.0.img");
  page.click("button", "Withdraw");
  page.type("Reason, as devices are told it", "it loses its clock");
  page.says("Devices that ask for it are refused, with your reason.");
  page.click("button", "Withdraw");
  page.says("Withdrawn: it loses its clock");
  EXPECT_EQ(vantro_json({"image", "info",
                         "causeway4-system-7.6.0.img"})["image"]["withdrawn"]["why"],
            "it loses its clock");
}

TEST_F(ConsoleTest, AJobIsPlannedCheckedCopiedAndMarked) {
  auto& page = *browser_;
  plan_a_job();
  run_vantro({"job", "end", "osier-sw"});
  log_in("day-desk", "/plan?device=osier-sw");
  page.type("Image or kit", "lattice24-system-4.0.1.img", "combobox");
  page.click("button", "Plan it");
  page.find("heading", "Job of osier-sw");
  page.says("upgrade from 3.12.0");
  page.click("button", "Check now");
  page.says("needs a cold start");
  page.click("button", "I have read the remarks");
  page.click("button", "Check again");
  // One value after the other.
  page.click("button", "Copy server");
  page.says("Copied");
  page.click("button", "Copy name");
  // The last one says so.
  const auto copied = [&] {
    return page.run(
        "return [...document.querySelectorAll('li')].map((each) => "
        "each.innerText).filter((each) => each.includes('Copied'))");
  };
  EXPECT_TRUE(eventually([&] {
    const auto said = copied();
    return said.size() == 1 && said[0].get<std::string>().starts_with("name");
  })) << copied();
  page.click("button", "It runs");
  page.type("Remark", "seen at the console");
  page.click("button", "It runs");
  page.says("seen at the console");
  page.click("button", "All is well");
  page.says("The job ends");
  page.click("button", "All is well");
  page.says("confirmed");
  EXPECT_EQ(vantro_json({"job", "info", "osier-sw"})["state"], "confirmed");
  expect_no_errors();
}

TEST_F(ConsoleTest, AColleaguesClaimIsShownAndTakenOver) {
  auto& page = *browser_;
  plan_a_job();
  log_in("day-desk", "/jobs");
  page.says("operator");
  page.click("link", "osier-sw");
  page.click("button", "Take it over");
  page.says("operator has it now, and sees that you took it.");
  page.click("button", "Take it over");
  page.stops_saying("Take it over");
  EXPECT_EQ(vantro_json({"job", "info", "osier-sw"})["owner"], "day-desk");
}

TEST_F(ConsoleTest, ATransferIsSeenToStallAndToEnd) {
  auto& page = *browser_;
  take_in("lattice24-system-4.0.1.img", std::string(300'000, 'n'));
  log_in();
  page.says("Nothing moves.");
  Peer device("127.1.0.3");
  device.send(tftp_host(), tftp_port_, read_request("lattice24-system-4.0.1.img"));
  EXPECT_EQ(device.hear().substr(0, 6), "DATA 1");
  device.answer(ack(1));
  page.says("fetches lattice24-system-4.0.1.img TFTP");
  page.says("stalled for");
  page.says("1 transfer, 1 stalled");
  // The server gives it up, and says so here, too.
  page.says("abandoned");
  page.says("0 transfers");
  page.click("link", "127.1.0.3");
  page.find("heading", "What happened with 127.1.0.3");
  expect_no_errors();
}

TEST_F(ConsoleTest, WhatARoleMayNotDoIsNotOffered) {
  auto& page = *browser_;
  plan_a_job();
  add_person("looker", "look");
  log_in("looker", "/images/lattice24-system-4.0.1.img");
  page.find("link", "Save the file");
  page.says("Checksums and vouching");
  for (const std::string one :
       {"Withdraw", "Remove for good", "Correct facts", "Offer"}) {
    EXPECT_FALSE(page.has("button", one)) << one;
  }
  EXPECT_FALSE(page.has("link", "Hand in"));
  go("/jobs/osier-sw");
  page.says("What happened");
  EXPECT_FALSE(page.has("button", "All is well"));
  EXPECT_FALSE(page.has("button", "Take it over"));
  go("/server/people");
  page.says("looker (you)");
  EXPECT_FALSE(page.has("button", "Add a person"));
  go("/rescue");
  page.says("Sessions");
  EXPECT_FALSE(page.has("button", "Open the session"));
}

TEST_F(ConsoleTest, MirrorsAreListedAndToldToFetchNow) {
  auto& page = *browser_;
  mirror_asks("heron", R"({"wants": {"platforms": ["lattice24"]}, "version": "0.1.0",
      "held": 3, "lacking": 2, "missing": 41943040, "rate": 262144})");
  log_in("day-desk", "/server/mirrors");
  page.says("heron");
  page.says("2 images, 40.0 MiB");
  page.says("256.0 KiB/s");
  page.says("platform lattice24");
  page.click("button", "Fetch now");
  page.says("will fetch now");
  EXPECT_EQ(vantro_json({"mirror", "show", "heron"})["sync"], true);
  EXPECT_FALSE(page.has("button", "Fetch now"));
  expect_no_errors();
}

TEST_F(ConsoleTest, WhenTheLogInEndsThePageStaysAndGoesOn) {
  auto& page = *browser_;
  plan_a_job();
  add_person("night-desk", "operate");
  log_in("night-desk", "/jobs/osier-sw");
  page.click("button", "It failed");
  page.type("Remark", "half typed");
  page.press(kEscape);
  run_vantro({"person", "change", "night-desk", "--off"});
  page.says("Log in again");
  page.says("The page behind this stays as it is");
  run_vantro({"person", "change", "night-desk", "--on"});
  page.type("Name", "night-desk");
  page.type("Password", kPassword);
  page.click("button", "Log in");
  page.find("heading", "Job of osier-sw");
  page.click("button", "It failed");
  page.find("textbox", "Remark");  // once the dialog is open
  EXPECT_EQ(page.run("return document.querySelector('dialog[open] input').value"),
            "half typed");
}

TEST_F(ConsoleTest, AnOpenPageOutlivesARestartOfTheServer) {
  auto& page = *browser_;
  take_in("x.img", "bytes");
  log_in("day-desk", "/images");
  page.says("x.img");
  const auto port = management_port_;
  stop();
  page.says("No answer from the server. What you see is old");
  page.says("x.img");
  start({"--management-listen", fmt::format("127.0.0.1:{}", port)});
  page.stops_saying("No answer from the server");
  // It follows again.
  take_in("y.img", "other bytes");
  page.says("y.img");
}

TEST_F(ConsoleTest, MarkupInNamesIsText) {
  auto& page = *browser_;
  const std::string name = "<img src=x onerror=alert(1)>.cfg";
  fakes::write_file(scratch_ / "config", "hostname x\n");
  const auto put =
      run({"/usr/bin/curl", "-sS", "-T", scratch_ / "config", "--interface", "127.1.0.9",
           http_url("/%3Cimg%20src=x%20onerror=alert(1)%3E.cfg")});
  ASSERT_EQ(put.code, 0) << put.err;
  run({"/usr/bin/curl", "-sS", "--interface", "127.1.0.9",
       http_url("/%3Cscript%3Ealert(2)%3C%2Fscript%3E")});
  log_in();
  page.says("<script>alert(2)</script>");
  go("/addresses/127.1.0.9");
  page.says(name);
  go("/ledger");
  page.says(name);
  EXPECT_EQ(page.run("return document.querySelectorAll('main img, main script').length"),
            0);
  expect_no_errors();
}

TEST_F(ConsoleTest, EverythingIsFoundByKeysAlone) {
  auto& page = *browser_;
  plan_a_job();
  log_in();
  page.press("/");
  page.find("combobox", "Find an image, device, address or checksum, or what to do");
  page.press("osier");
  page.says("device osier-sw");
  page.press(kEnter);
  page.find("heading", "osier-sw");
  // By the beginning of a checksum.
  const auto info = vantro_json({"image", "info", "lattice24-system-4.0.1.img"});
  page.press("/");
  page.press(info["image"]["digests"]["sha256"].get<std::string>().substr(0, 10));
  page.says("image lattice24-system-4.0.1.img");
  page.press(kEnter);
  page.find("heading", "lattice24-system-4.0.1.img");
  page.press("/");
  page.press("127.1.0.3");
  page.says("address 127.1.0.3");
  page.press(kEscape);
  // A page, and back to where it was.
  page.press("/");
  page.press("ledger");
  page.press(kEnter);
  page.find("heading", "Ledger");
  // Nothing is out of reach: the header by Tab, from the beginning.
  go("/devices");
  page.press(kTab);
  EXPECT_EQ(page.focused(), "link To the page");
  page.press(kTab);
  page.press(kTab);
  EXPECT_EQ(page.focused(), "link Now");
  // A dangerous step by keys: asked once, and Escape changes nothing.
  go("/devices/osier-sw");
  const auto remove = page.find("button", "Remove");
  page.run("arguments[0].focus()",
           {{{"element-6066-11e4-a52e-4f735466cecf", remove.id}}});
  page.press(kEnter);
  page.says("is not known any more");
  page.press(kEscape);
  EXPECT_EQ(vantro_json({"device", "list"})["devices"].size(), 1u);
  // Keys of one letter can be switched off.
  page.press("?");
  page.click("checkbox", "Use / and ? as keys");
  page.click("button", "Close");
  page.press("/");
  EXPECT_FALSE(page.has("dialog", "Find"));
}

// Every page, in both themes, at the desk, at the rack and at twice the size of text;
// with much on it and with nothing.
TEST_F(ConsoleTest, EveryPageIsAccessibleAndFitsTheScreen) {
  auto& page = *browser_;
  const std::vector<std::string> empty{"/",
                                       "/images",
                                       "/hand-in",
                                       "/devices",
                                       "/jobs",
                                       "/plan",
                                       "/rescue",
                                       "/ledger",
                                       "/server",
                                       "/server/people",
                                       "/server/accounts",
                                       "/server/settings",
                                       "/server/load",
                                       "/server/mirrors",
                                       "/server/verification",
                                       "/server/you",
                                       "/no-such-page"};
  std::vector<std::string> full = empty;
  for (const std::string one :
       {"/images/lattice24-system-4.0.1.img", "/devices/osier-sw", "/jobs/osier-sw",
        "/backups/osier-sw/osier-sw.cfg", "/addresses/127.1.0.3", "/rollouts/Lattice",
        "/kits/Lattice%20kit",
        "/compare?a=lattice24-system-4.0.1.img&b=lattice24-boot-2.0.img"}) {
    full.push_back(one);
  }
  browser_->open(url());
  page.find("button", "Log in");
  EXPECT_THAT(page.accessibility(), IsEmpty());
  log_in();
  const auto look_at = [&](const std::vector<std::string>& paths, const char* what) {
    for (const auto& path : paths) {
      go(path);
      EXPECT_TRUE(eventually([&] {
        return page.run("return document.querySelector('[aria-busy=true]') === null") ==
               true;
      }));
      for (const bool dark : {false, true}) {
        page.use_dark(dark);
        EXPECT_THAT(page.accessibility(), IsEmpty())
            << path << ", " << what << (dark ? ", dark" : ", light");
      }
      for (const auto& [width, height] :
           {std::pair(390, 844), std::pair(640, 400), std::pair(1280, 800)}) {
        page.resize(width, height);
        EXPECT_EQ(page.run("return document.documentElement.scrollWidth > innerWidth"),
                  false)
            << path << " is wider than " << width << ", " << what;
      }
    }
  };
  look_at(empty, "empty");
  plan_a_job();
  take_in("lattice24-boot-2.0.img", "boot");
  run_vantro({"kit", "add", "Lattice kit", "lattice24-boot-2.0.img",
              "lattice24-system-4.0.1.img"});
  for (const std::string config : {"hostname osier-sw\nmtu 1500\n",
                                   "hostname osier-sw\nmtu 9000\nsecret abc123\n"}) {
    fakes::write_file(scratch_ / "config", config);
    run({"/usr/bin/curl", "-sS", "-T", scratch_ / "config", "--interface", "127.1.0.3",
         http_url("/osier-sw.cfg")});
  }
  run({"/usr/bin/curl", "-sS", "--interface", "127.1.0.3", http_url("/nothing.img")});
  run_vantro({"device", "add", "pump-sw-01", "--addresses", "127.1.1.1", "--platform",
              "lattice24", "--running-version", "3.12.0"});
  run_vantro({"rollout", "add", "Lattice", "--devices", "pump-sw-01", "--image",
              "lattice24-system-4.0.1.img"});
  mirror_asks("heron", R"({"lacking": 2, "missing": 41943040})");
  look_at(full, "full");
  expect_no_errors();
}

// On a wire that the test makes for itself, in a network namespace of its own.
TEST(ConsoleRescue, ASessionIsOpenedFollowedAndEnded) {
  if (::geteuid() != 0 || ::unshare(CLONE_NEWNET) != 0) {
    GTEST_SKIP() << "no network namespaces here";
  }
  for (const Arguments& command :
       {Arguments{"ip", "link", "set", "lo", "up"},
        Arguments{"ip", "link", "add", "eth1", "type", "veth", "peer", "name", "wan"},
        Arguments{"ip", "link", "set", "eth1", "up"},
        Arguments{"ip", "link", "set", "wan", "up"}}) {
    if (run(command).code != 0) GTEST_SKIP() << "no virtual cables here";
  }
  class Fixture : public ConsoleTest {
   public:
    void TestBody() override {
      auto& page = *browser_;
      take_in("c4-recovery.img", std::string(200'000, 'r'));
      run_vantro({"image", "change", "c4-recovery.img", "--platform", "causeway4",
                  "--role", "recovery"});
      log_in("day-desk", "/rescue");
      page.choose("Network interface of the wire", "eth1");
      page.choose("Profile", "causeway4-console");
      page.click("button", "Check the wire");
      page.says("In order");
      page.click("button", "Open the session");
      page.says("Everything is put back at the end.");
      page.click("button", "Open the session");
      page.says("WAITING FOR THE DEVICE");
      page.says("c4-recovery.img");
      EXPECT_THAT(page.accessibility(), IsEmpty());
      run({"udhcpc", "-i", "wan", "-n", "-q", "-f", "-s", "/bin/true"});
      page.says("HAS THE ADDRESS");
      page.click("button", "End the session");
      page.says("What was changed on this server is put back.");
      page.click("button", "End the session");
      page.says("What came of it");
      EXPECT_THAT(run({"ip", "address", "show", "eth1"}).out,
                  Not(HasSubstr("192.0.2.1")));
      expect_no_errors();
    }
    void SetUp() override {
      fakes::write_file(scratch_ / "vantro.toml", R"toml(
[[rescue]]
profile = "causeway4-console"
platform = "causeway4"
way = "asks"
server = "192.0.2.1/24"
device = "192.0.2.20"
begin = "hold the button and switch it on"
[[rescue.file]]
name = "c4-recovery.img"
role = "recovery"
)toml");
      start({"--config", scratch_ / "vantro.toml"});
      add_person("day-desk", "administer", "push");
      browser_ = std::make_unique<Browser>(scratch_.path());
      browser_->resize(1280, 800);
    }
    void play() {
      SetUp();
      if (!HasFatalFailure()) TestBody();
      TearDown();
    }
  };
  Fixture().play();
}

}  // namespace
}  // namespace vantro::end_to_end
