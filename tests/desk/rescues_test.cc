// Rescue sessions over a repository and a gate, with hands that only note what they are
// asked to do.
#include "desk/rescues.h"

#include <fmt/format.h>

#include "desk/devices.h"
#include "desk/images.h"
#include "desk/jobs.h"
#include "desk/pushes.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::desk {
namespace {

using namespace std::chrono_literals;
namespace rescue = jobs::rescue;

class FakeHands final : public RescueHands {
 public:
  struct Sockets final : OpenWire {
    explicit Sockets(int& count) : open(count) { ++open; }
    ~Sockets() override { --open; }
    Sockets(const Sockets&) = delete;
    Sockets& operator=(const Sockets&) = delete;
    int& open;
  };

  std::vector<WireInterface> interfaces() override { return {}; }
  rescue::WireFacts look(const std::string& interface, const rescue::Profile&,
                         bool) override {
    auto facts = wire;
    facts.interface = interface;
    if (address_there) facts.addresses = {{*base::Address::parse("198.18.0.1"), 24}};
    return facts;
  }
  base::Outcome<void> add_address(const std::string&, const base::Address&, unsigned,
                                  std::chrono::seconds hold) override {
    if (cannot_add) return base::refuse(base::Kind::kIo, "the kernel does not let it");
    address_there = true;
    held_for = hold;
    return {};
  }
  void remove_address(const std::string&, const base::Address&, unsigned) override {
    address_there = false;
  }
  base::Outcome<std::unique_ptr<OpenWire>> open(Opening opening) override {
    if (cannot_open) return base::refuse(base::Kind::kIo, "the port is taken");
    last = std::move(opening);
    return std::make_unique<Sockets>(open_wires);
  }
  bool answers(const base::Address&, std::uint16_t, const std::string&) override {
    return device_answers;
  }
  base::Outcome<std::uint64_t> push(gate::ReadGrant grant, PushOrder order,
                                    std::function<void(const PushView&)>) override {
    pushed = std::make_unique<gate::ReadGrant>(std::move(grant));
    order_of_push = std::move(order);
    return pushed->transfer().id();
  }
  std::optional<PushView> find_push(std::uint64_t id) const override {
    PushView view;
    view.id = id;
    view.listens = true;
    return view;
  }
  bool end_push(std::uint64_t) override {
    pushed.reset();
    return true;
  }

  rescue::WireFacts wire = [] {
    rescue::WireFacts facts;
    facts.exists = facts.up = facts.carrier = facts.ethernet = true;
    facts.may_raw = facts.may_admin = true;
    facts.other_servers.emplace();
    facts.listens = true;
    facts.interfaces = {"eth0", "eth1"};
    return facts;
  }();
  bool address_there = false, cannot_add = false, cannot_open = false;
  bool device_answers = false;
  int open_wires = 0;
  std::chrono::seconds held_for{};
  Opening last;
  std::unique_ptr<gate::ReadGrant> pushed;
  PushOrder order_of_push;
};

class RescuesTest : public fakes::RepositoryFixture {
 protected:
  void SetUp() override {
    RepositoryFixture::SetUp();
    profile_.name = "rom";
    profile_.platform = "dyke200";
    profile_.server = *base::Address::parse("198.18.0.1");
    profile_.first_device = profile_.last_device = *base::Address::parse("198.18.0.20");
    profile_.afterwards = profile_.first_device;
    profile_.check = "ping";
    rescue::File file;
    file.name = "Fixed-Name.img";
    file.role = "recovery";
    profile_.files = {file};
    ASSERT_TRUE(take_in("recovery-1.img", "the bytes of the image"));
    facts("recovery-1.img", {{"platform", "dyke200"}, {"role", "recovery"}});
    ASSERT_TRUE(
        Devices(*repository_, operator_).add("tidegate-rtr", {{"platform", "dyke200"}}));
    make();
  }
  void TearDown() override {
    rescues_.reset();
    hands_.pushed.reset();
    close();
  }
  void make() {
    rescues_ = std::make_unique<Rescues>(*repository_, *gate_, hands_, [this] {
      return std::vector<rescue::Profile>{profile_};
    });
  }
  void facts(const std::string& image, const std::map<std::string, std::string>& all) {
    ASSERT_TRUE(Images(*repository_, operator_).edit(image, all));
  }
  RescueWanted wanted() const {
    RescueWanted one;
    one.interface = "eth1";
    one.profile = "rom";
    one.own_address = true;
    return one;
  }
  RescueView open(const RescueWanted& what) {
    const auto opened = rescues_->open(operator_, what);
    EXPECT_TRUE(opened) << opened.error().sentence;
    if (!opened || !opened->view) {
      for (const auto& one : opened->checks) {
        ADD_FAILURE() << "it was not opened: " << one.name << " "
                      << jobs::word(one.verdict) << " " << one.fact;
      }
      return {};
    }
    return *opened->view;
  }
  // What stops it, by the checks.
  std::string stopped(const RescueWanted& what) {
    const auto opened = rescues_->open(operator_, what);
    if (!opened) return opened.error().sentence;
    std::string why;
    for (const auto& one : opened->checks) {
      if (one.verdict == jobs::Verdict::kStop) {
        why += fmt::format("{}: {}; {}\n", one.name, one.fact, one.advice);
      }
    }
    EXPECT_EQ(opened->view.has_value(), why.empty() && what.really);
    return why;
  }
  gate::Asker on_wire(const std::string& address = "198.18.0.20",
                      const std::string& interface = "eth1") const {
    return {
        {*base::Address::parse(address), 5000}, "tftp", "198.18.0.1:69 on " + interface};
  }
  std::string fetch(const gate::Asker& asker, const std::string& name) {
    auto place = gate_->admit(asker, gate::Direction::kFetch, name);
    auto grant = gate_->open_read(asker, std::move(*place), name);
    if (!grant) return base::in_full(grant.error());
    const auto bytes = grant->read(0, grant->size());
    grant->transfer().advance({grant->size(), 0, 0});
    grant->transfer().end(gate::State::kComplete, "");
    return bytes ? std::string(bytes->begin(), bytes->end()) : bytes.error().sentence;
  }
  void later(base::Duration time) {
    clock_.advance(time);
    rescues_->tick();
  }
  std::vector<std::string> lines(std::int64_t id) {
    std::vector<std::string> all;
    const auto view = rescues_->find(id);
    for (const auto& one : view->lines) all.push_back(one.sentence);
    return all;
  }

  FakeHands hands_;
  rescue::Profile profile_;
  std::unique_ptr<Rescues> rescues_;
};

TEST_F(RescuesTest, TheNameIsThereOnItsWireForItsTimeOnly) {
  EXPECT_NE(fetch(on_wire(), "Fixed-Name.img"), "the bytes of the image");
  auto what = wanted();
  what.hold = 60s;
  const auto view = open(what);
  EXPECT_EQ(hands_.open_wires, 1);
  EXPECT_EQ(hands_.held_for, 90s);
  EXPECT_EQ(fetch(on_wire(), "Fixed-Name.img"), "the bytes of the image");
  EXPECT_EQ(fetch(on_wire(), "/fixed-name.IMG"), "the bytes of the image");
  EXPECT_EQ(fetch(on_wire(), "fixed-nmae.img"),
            "'fixed-nmae.img' is not one of the names of rescue session 1; nearest: "
            "'Fixed-Name.img'");
  EXPECT_NE(fetch(on_wire("198.18.0.20", "eth0"), "Fixed-Name.img"),
            "the bytes of the image");
  EXPECT_NE(fetch(on_wire("203.0.113.9"), "Fixed-Name.img"), "the bytes of the image");
  later(1s);
  later(60s);
  EXPECT_EQ(hands_.open_wires, 0);
  EXPECT_FALSE(hands_.address_there);
  EXPECT_NE(fetch(on_wire(), "Fixed-Name.img"), "the bytes of the image");
  const auto ended = rescues_->find(view.session.id);
  EXPECT_EQ(ended->session.ended_why, "its time was over");
  EXPECT_EQ(ended->session.summary.substr(0, 39),
            "'Fixed-Name.img' was loaded completely\n");
}

TEST_F(RescuesTest, EndedByTimeTheNameIsGoneBeforeAnybodyHasTicked) {
  auto what = wanted();
  what.hold = 60s;
  open(what);
  clock_.advance(61s);
  EXPECT_NE(fetch(on_wire(), "Fixed-Name.img"), "the bytes of the image");
}

TEST_F(RescuesTest, WhatIsCheckedSaysWhatToDo) {
  auto what = wanted();
  what.own_address = false;
  EXPECT_EQ(
      stopped(what),
      "address: 198.18.0.1/24 is not on eth1; ip address add 198.18.0.1/24 dev eth1; "
      "or --own-address lets vantrod add it for the time of the session\n");
  hands_.wire.may_admin = false;
  EXPECT_EQ(
      stopped(wanted()),
      "address: vantrod has no permission to add 198.18.0.1/24 to eth1; ip address add "
      "198.18.0.1/24 dev eth1; or grant it cap_net_admin "
      "(packaging/vantrod-rescue.conf)\n");
  hands_.wire.may_admin = true;
  hands_.wire.up = false;
  EXPECT_EQ(stopped(wanted()).substr(0, 60),
            "interface: eth1 is switched off; ip link set eth1 up\n");
  hands_.wire.up = true;
  hands_.wire.other_servers = {*base::Address::parse("198.18.0.254")};
  EXPECT_EQ(stopped(wanted()),
            "other address servers: 198.18.0.254 on eth1; use a separate wire; or "
            "--despite-other opens the session anyway\n");
  hands_.wire.other_servers->clear();
  hands_.wire.may_raw = false;
  EXPECT_NE(stopped(wanted()).find("setcap cap_net_raw"), std::string::npos);
  hands_.wire.may_raw = true;
  hands_.wire.listens = false;
  hands_.wire.cannot_listen = "somebody holds the port";
  EXPECT_EQ(stopped(wanted()),
            "service: tftp at 198.18.0.1:69 can't be opened; somebody holds the port\n");
  hands_.wire.listens = true;
  facts("recovery-1.img", {{"role", "system"}});
  EXPECT_EQ(stopped(wanted()),
            "'Fixed-Name.img': no image for the platform 'dyke200' has the role "
            "'recovery'; vantro image add FILE --platform dyke200 --role recovery\n");
  what = wanted();
  what.image = "recovery-1.img";
  EXPECT_EQ(stopped(what),
            "'Fixed-Name.img': 'recovery-1.img' has the role 'system', and the device "
            "needs 'recovery'; vantro image change recovery-1.img --role recovery\n");
  EXPECT_EQ(hands_.open_wires, 0);
  EXPECT_TRUE(rescues_->list(10)->empty());
}

TEST_F(RescuesTest, ADryRunOpensNothing) {
  auto what = wanted();
  what.really = false;
  EXPECT_EQ(stopped(what), "");
  EXPECT_TRUE(rescues_->list(10)->empty());
  EXPECT_FALSE(hands_.address_there);
}

TEST_F(RescuesTest, WhatFailsInTheMiddleIsUndone) {
  hands_.cannot_open = true;
  EXPECT_EQ(rescues_->open(operator_, wanted()).error().sentence, "the port is taken");
  EXPECT_FALSE(hands_.address_there);
  hands_.cannot_open = false;
  hands_.cannot_add = true;
  EXPECT_EQ(rescues_->open(operator_, wanted()).error().sentence,
            "the kernel does not let it");
  hands_.cannot_add = false;
  const auto all = rescues_->list(10);
  for (const auto& one : *all) EXPECT_NE(one.session.ended_at, 0);
  open(wanted());
}

TEST_F(RescuesTest, AnAddressThatWasThereStays) {
  hands_.address_there = true;
  auto what = wanted();
  what.own_address = false;
  const auto view = open(what);
  EXPECT_FALSE(view.session.own_address);
  const auto closed = rescues_->close(operator_, view.session.id);
  EXPECT_TRUE(hands_.address_there);
  EXPECT_EQ(closed->undo.front(),
            "if you added 198.18.0.1/24 for this: ip address del 198.18.0.1/24 dev eth1");
}

TEST_F(RescuesTest, ASecondOneIsRefusedOnTheSameWireAndInTheSameNetwork) {
  open(wanted());
  EXPECT_NE(stopped(wanted()).find("rescue session 1 is open on eth1"),
            std::string::npos);
  auto other = wanted();
  other.interface = "eth0";
  EXPECT_NE(stopped(other).find("this machine can't have it on two wires"),
            std::string::npos);
}

TEST_F(RescuesTest, OfAProgramThatDiedNothingIsLeft) {
  const auto id = open(wanted()).session.id;
  // The record is as after a crash: nobody has ended it.
  ASSERT_TRUE(
      repository_->database->write([&](db::Transaction& t) -> base::Outcome<void> {
        t.run("update rescues set ended_at = 0 where id = :i", {id});
        return {};
      }));
  hands_.address_there = true;
  FakeHands fresh;
  fresh.address_there = true;
  Rescues next(*repository_, *gate_, fresh,
               [] { return std::vector<rescue::Profile>(); });
  next.end_left_over();
  EXPECT_FALSE(fresh.address_there);
  EXPECT_EQ(next.find(id)->session.ended_why, "the server stopped without ending it");
  EXPECT_TRUE(repository_->snapshot()->rescues->all().empty());
}

TEST_F(RescuesTest, TheStoryIsInOrderAndInTheLedgerOfTheDevice) {
  auto what = wanted();
  what.device = "tidegate-rtr";
  what.profile = "";  // by the device's platform
  const auto id = open(what).session.id;
  hands_.last.tell({AddressTold::What::kGot, "02:00:5e:10:00:01 got 198.18.0.20",
                    *base::Address::parse("198.18.0.20")});
  clock_.advance(1s);
  fetch(on_wire(), "wrong.img");
  clock_.advance(1s);
  fetch(on_wire(), "Fixed-Name.img");
  later(2s);
  hands_.device_answers = true;
  later(3s);
  EXPECT_EQ(rescues_->find(id)->stage.large, "ANSWERS AGAIN AT 198.18.0.20");
  const auto all = lines(id);
  ASSERT_EQ(all.size(), 5u);
  EXPECT_EQ(all[0], "02:00:5e:10:00:01 got 198.18.0.20");
  EXPECT_EQ(all[1].substr(0, 38), "198.18.0.20 asked for 'wrong.img': 'wr");
  EXPECT_EQ(all[2], "asked for 'Fixed-Name.img'");
  EXPECT_EQ(all[3], "'Fixed-Name.img' was loaded completely, 22 B");
  rescues_->close(operator_, id);
  // What is kept is the same.
  EXPECT_EQ(lines(id).size(), 6u);
  ASSERT_TRUE(repository_->ledger.flush());
  ledger::Filter filter;
  filter.whose = "tidegate-rtr";
  std::vector<std::string> events;
  const auto rows = repository_->ledger.newest(100, std::nullopt, filter);
  ASSERT_TRUE(rows);
  for (const auto& row : *rows) events.push_back(row.event);
  for (const auto* event : {"rescue-open", "rescue", "fetch", "rescue-end"}) {
    EXPECT_NE(std::find(events.begin(), events.end(), event), events.end()) << event;
  }
}

TEST_F(RescuesTest, GuestsAreReadAsTyped) {
  const auto guest = parse_guest("02-00-5E-10-00-01=tidegate-rtr@198.18.0.30", false);
  ASSERT_TRUE(guest);
  EXPECT_EQ(guest->link->text(), "02:00:5e:10:00:01");
  EXPECT_EQ(guest->device, "tidegate-rtr");
  EXPECT_EQ(guest->address->text(), "198.18.0.30");
  EXPECT_EQ(parse_guest("FX9-0042", true)->serial, "FX9-0042");
  EXPECT_EQ(parse_guest("gate", false).error().sentence,
            "'gate' is not a link address; example: 02:00:5e:10:00:01");
  EXPECT_EQ(parse_guest("x=y@z", false).error().sentence, "'z' is not an IPv4 address");
  EXPECT_FALSE(parse_guest("42", true));
  auto what = wanted();
  what.link_addresses = {"02:00:5e:10:00:01@203.0.113.1"};
  EXPECT_EQ(stopped(what), "203.0.113.1 is not in the session's network 198.18.0.0/24");
}

TEST_F(RescuesTest, TheInventorySaysWhomToServe) {
  ASSERT_TRUE(Devices(*repository_, operator_)
                  .change("tidegate-rtr", {{"link_address", "02:00:5e:10:00:07"}}));
  auto what = wanted();
  what.device = "tidegate-rtr";
  open(what);
  ASSERT_EQ(hands_.last.guests.size(), 1u);
  EXPECT_EQ(hands_.last.guests[0].link->text(), "02:00:5e:10:00:07");
  EXPECT_EQ(hands_.last.admission, Admission::kGuests);
}

TEST_F(RescuesTest, TheJobOfTheDeviceHasTheStoryToo) {
  facts("recovery-1.img", {{"version", "1.0"}});
  const Surroundings surroundings;
  Jobs jobs(*repository_, *gate_, surroundings, operator_);
  JobWanted job;
  job.aim = "recovery-1.img";
  job.purpose = jobs::Purpose::kRecover;
  const auto planned = jobs.plan("tidegate-rtr", job);
  ASSERT_TRUE(planned) << planned.error().sentence;
  auto what = wanted();
  what.device = "tidegate-rtr";
  const auto id = open(what).session.id;
  fetch(on_wire(), "Fixed-Name.img");
  later(1s);
  rescues_->close(operator_, id);
  ASSERT_TRUE(repository_->ledger.flush());
  const auto view = jobs.find("tidegate-rtr");
  ASSERT_TRUE(view);
  std::string told;
  for (const auto& one : view->progress.lines) told += one.sentence + "\n";
  EXPECT_NE(told.find("rescue: session 1: 'Fixed-Name.img' was loaded completely"),
            std::string::npos)
      << told;
  // The fetch under the fixed name counts for the job's image.
  ASSERT_EQ(view->progress.images.size(), 1u);
  EXPECT_EQ(view->progress.images[0].fetches, 1);
}

TEST_F(RescuesTest, ANewDeviceGetsItsNewestBackupUnderItsOwnName) {
  profile_.files[0] = {};
  profile_.files[0].name = "{device}.cfg";
  profile_.files[0].gives = rescue::Gives::kBackup;
  auto what = wanted();
  EXPECT_EQ(stopped(what),
            "'{device}.cfg': its name depends on the device, but no device is named; "
            "--link-address MAC=DEVICE, or --serial SERIAL=DEVICE\n");
  what.serials = {"FX9-0042=tidegate-rtr"};
  EXPECT_EQ(stopped(what),
            "'tidegate-rtr.cfg': tidegate-rtr has no backup of a configuration; vantro "
            "backup list tidegate-rtr\n");
  ASSERT_TRUE(Devices(*repository_, operator_)
                  .change("tidegate-rtr", {{"addresses", "192.0.2.7"}}));
  ASSERT_TRUE(deposit("192.0.2.7", "site.cfg", "hostname old\n"));
  clock_.advance(1h);
  ASSERT_TRUE(deposit("192.0.2.7", "site.cfg", "hostname new\n"));
  const auto view = open(what);
  ASSERT_EQ(view.session.names.size(), 1u);
  EXPECT_EQ(view.session.names[0].stands_for,
            "backup of tidegate-rtr: 'site.cfg', revision 2");
  EXPECT_EQ(fetch(on_wire(), "tidegate-rtr.cfg"), "hostname new\n");
}

TEST_F(RescuesTest, ADeviceThatWaitsIsSentTheImageByWhoMay) {
  profile_.way = rescue::Way::kWaits;
  Caller without{"kim", {auth::Role::kOperate, {}}};
  EXPECT_EQ(rescues_->open(without, wanted()).error().sentence,
            "the profile 'rom' sends an image to the device, which needs the right "
            "'push'; kim does not have it");
  Caller with{"kim", {auth::Role::kOperate, {auth::Right::kPush}}};
  const auto opened = rescues_->open(with, wanted());
  ASSERT_TRUE(opened && opened->view);
  ASSERT_NE(hands_.pushed, nullptr);
  EXPECT_EQ(hands_.order_of_push.to.text(), "198.18.0.20:69");
  EXPECT_EQ(hands_.order_of_push.name, "Fixed-Name.img");
  EXPECT_EQ(hands_.order_of_push.interface, "eth1");
  hands_.pushed->transfer().advance({11, 0, 0});
  later(1s);
  EXPECT_EQ(rescues_->find(1)->stage.large, "LOADING 50 %");
  hands_.pushed->transfer().end(gate::State::kComplete, "");
  later(1s);
  rescues_->close(with, 1);
  EXPECT_EQ(lines(1)[0], "the device listens, and receives 'Fixed-Name.img'");
}

TEST_F(RescuesTest, APushKeepsToItsNetworksAndNeedsTheRight) {
  Pushes none(*repository_, *gate_, hands_, {"kim", {auth::Role::kAdminister, {}}});
  PushWanted what;
  what.image = "recovery-1.img";
  what.to = "10.0.0.9";
  EXPECT_EQ(none.begin(what).error().sentence,
            "sending to devices needs the right 'push', which kim does not have; an "
            "administrator can give it: 'vantro person change kim --rights push'");
  Pushes some(*repository_, *gate_, hands_,
              {"kim", {auth::Role::kOperate, {auth::Right::kPush}}});
  ASSERT_TRUE(some.begin(what));
  EXPECT_EQ(hands_.order_of_push.to.text(), "10.0.0.9:69");
  what.to = "203.0.113.9";
  EXPECT_EQ(some.begin(what).error().sentence,
            "the settings do not allow a push to 203.0.113.9; push.to is \"private, "
            "loopback\"");
  what.to = "10.0.0.9:6969";
  what.over = "sftp";
  EXPECT_EQ(some.begin(what).error().sentence,
            "sftp needs the device's account; give it with --account");
  what.over = "tftp";
  what.block_size = 4;
  EXPECT_EQ(some.begin(what).error().kind, base::Kind::kInvalid);
}

// Of several nodes: a session is where its cable is.
TEST_F(RescuesTest, ASessionOfAnotherNodeIsShownAndNotServed) {
  rescue::Session there;
  there.node = "weir";
  there.interface = "eth1";
  there.profile = "rom";
  there.server = profile_.server;
  there.opened_at = clock_.wall();
  there.until = there.opened_at + 60'000;
  there.names = {{"Fixed-Name.img", "a text", "", "the other's bytes", 17, false}};
  const auto added = repository_->database->write([&](db::Transaction& t) {
    auto one = rescue::Sessions::add(t, there);
    if (one) {
      rescue::Sessions::note(t, {0, one->id, clock_.wall(), "loading", "34 % loaded"});
    }
    return one;
  });
  ASSERT_TRUE(added);
  EXPECT_NE(fetch(on_wire(), "Fixed-Name.img"), "the other's bytes");
  const auto seen = rescues_->find(added->id);
  ASSERT_TRUE(seen);
  EXPECT_EQ(seen->stage.large, "ON ANOTHER NODE");
  EXPECT_EQ(seen->stage.small, "34 % loaded");
  EXPECT_EQ(rescues_->close(operator_, added->id).error().sentence,
            "rescue session 1 is on eth1 of the node 'weir'; end it there");
  // An interface of that name here is another one.
  open(wanted());
  EXPECT_EQ(fetch(on_wire(), "Fixed-Name.img"), "the bytes of the image");
  // That node is gone.
  ASSERT_TRUE(rescues_->end_of_node("weir"));
  EXPECT_EQ(rescues_->find(added->id)->session.ended_why, "its node is gone");
  EXPECT_EQ(fetch(on_wire(), "Fixed-Name.img"), "the bytes of the image");
}

}  // namespace
}  // namespace vantro::desk
