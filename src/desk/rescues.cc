#include "desk/rescues.h"

#include <algorithm>
#include <atomic>
#include <fmt/format.h>

#include "base/protocol.h"
#include "base/visible_name.h"
#include "desk/pushes.h"
#include "desk/rescue_files.h"
#include "jobs/jobs.h"
#include "repository/change.h"
#include "text/nearest.h"

namespace vantro::desk {

namespace rescue = jobs::rescue;
using base::Kind;

namespace {

// The kernel takes an added address away so long after the session's end, if nobody else
// does.
constexpr std::chrono::seconds kAddressOutlives{30};
constexpr std::int64_t kAskBackEvery = 2000;  // ms
constexpr std::size_t kMostTold = 2000;
constexpr std::chrono::seconds kLongestSession{24 * 3600};

ledger::Entry entry_of(const rescue::Session& session, const std::string& event,
                       const repository::By& by, const std::string& sentence,
                       base::WallTime at) {
  ledger::Entry entry;
  entry.at = at;
  entry.event = event;
  entry.actor = by.name;
  entry.from = by.from;
  entry.device = session.device_name;
  entry.heard_on = session.interface;
  entry.name = fmt::format("rescue session {}", session.id);
  entry.outcome = "done";
  entry.sentence = sentence;
  return entry;
}

std::string opening_text(const rescue::Session& session) {
  std::vector<std::string> names;
  for (const auto& one : session.names) {
    names.push_back(fmt::format("'{}' for {}", one.name, one.stands_for));
  }
  return fmt::format(
      "on {} until {}, profile '{}', {}{}", session.interface,
      base::local_time(session.until), session.profile, fmt::join(names, ", "),
      session.own_address
          ? fmt::format(", {}/{} added", session.server.text(), session.prefix)
          : "");
}

rescue::Load load_of(const gate::TransferView& view) {
  rescue::Load load;
  load.id = view.id;
  load.name = view.name;
  load.bytes = view.bytes;
  load.total = view.total;
  load.rate = view.rate;
  load.pushed = view.direction == gate::Direction::kPush;
  load.why = view.why;
  load.began_at = view.began_at;
  load.took_ms = view.duration_ms;
  load.state = view.state == gate::State::kRunning    ? rescue::Load::State::kRunning
               : view.state == gate::State::kComplete ? rescue::Load::State::kComplete
                                                      : rescue::Load::State::kInterrupted;
  return load;
}

void tell(rescue::Story& story, const AddressTold& told, base::WallTime at) {
  switch (told.what) {
    case AddressTold::What::kAsked:
      story.asked_for_address(told.sentence, at);
      break;
    case AddressTold::What::kGot:
      story.got_address(told.sentence, told.address, at);
      break;
    case AddressTold::What::kRefused:
      story.refused(told.sentence, at);
      break;
    case AddressTold::What::kOther:
      story.told(told.sentence, at);
      break;
  }
}

}  // namespace

std::vector<std::string> undo_lines(const rescue::Session& session) {
  std::vector<std::string> lines;
  const auto address = fmt::format("{}/{}", session.server.text(), session.prefix);
  if (session.own_address) {
    lines.push_back(fmt::format("{} was taken away from {} again: nothing to do", address,
                                session.interface));
  } else {
    lines.push_back(fmt::format("if you added {} for this: ip address del {} dev {}",
                                address, address, session.interface));
  }
  lines.emplace_back(
      "if you stopped a firewall or another address server for this: start it again");
  lines.push_back(
      fmt::format("plug the cable of {} back to where it was", session.interface));
  return lines;
}

base::Outcome<Guest> parse_guest(const std::string& text, bool serial) {
  Guest guest;
  std::string rest = text;
  if (const auto at = rest.rfind('@'); at != std::string::npos) {
    const auto address = base::Address::parse(rest.substr(at + 1));
    if (!address || !address->is_v4()) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' is not an IPv4 address",
                                      base::printable(rest.substr(at + 1), 40)));
    }
    guest.address = *address;
    rest.resize(at);
  }
  if (const auto at = rest.find('='); at != std::string::npos) {
    guest.device = rest.substr(at + 1);
    rest.resize(at);
  }
  if (serial) {
    constexpr std::size_t kShortest = 4;
    if (rest.size() < kShortest) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' is too short for a serial number: 4 signs at "
                                      "the least",
                                      base::printable(rest, 40)));
    }
    guest.serial = rest;
    return guest;
  }
  guest.link = base::LinkAddress::parse(rest);
  if (!guest.link) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("'{}' is not a link address; example: "
                                    "02:00:5e:10:00:01",
                                    base::printable(rest, 40)));
  }
  return guest;
}

struct Rescues::Running {
  Running(rescue::Session s, rescue::Profile p)
      : session(s), profile(p), story(std::move(p), std::move(s)) {}

  const rescue::Session session;
  const rescue::Profile profile;
  std::unique_ptr<OpenWire> wire;
  std::optional<std::uint64_t> push;

  base::Mutex told_mutex;
  std::vector<std::pair<base::WallTime, AddressTold>> told VANTRO_GUARDED_BY(told_mutex);

  mutable base::Mutex mutex;
  rescue::Story story VANTRO_GUARDED_BY(mutex);
  base::WallTime asked_back_at VANTRO_GUARDED_BY(mutex) = 0;
  std::atomic<bool> ended = false;
};

Rescues::Rescues(repository::Repository& repository, gate::Gate& gate, RescueHands& hands,
                 Profiles profiles)
    : repository_(repository),
      gate_(gate),
      hands_(hands),
      profiles_(std::move(profiles)) {
  gate_.on_refusal(
      [this](const gate::Asker& asker, std::string_view name,
             const base::Refusal& refusal) { refused(asker, name, refusal); });
}

Rescues::~Rescues() {
  end_all("the server was stopped");
  gate_.on_refusal({});
}

base::Outcome<rescue::Profile> Rescues::profile_for(const RescueWanted& wanted,
                                                    const std::string& platform) const {
  const auto all = profiles_();
  if (all.empty()) {
    return base::refuse(
        Kind::kNotFound,
        "the settings have no rescue profiles; docs/rescue.md says how to "
        "write one ([[rescue]])");
  }
  std::vector<std::string> names;
  for (const auto& one : all) names.push_back(one.name);
  if (!wanted.profile.empty()) {
    for (const auto& one : all) {
      if (base::folded(one.name) == base::folded(wanted.profile)) return one;
    }
    return base::refuse(
        Kind::kNotFound,
        fmt::format("unknown rescue profile '{}'; there are {}",
                    base::printable(wanted.profile, 40), fmt::join(names, ", ")),
        text::nearest(wanted.profile, names).value_or(""));
  }
  std::vector<const rescue::Profile*> fitting;
  for (const auto& one : all) {
    if (!platform.empty() && base::folded(one.platform) == base::folded(platform)) {
      fitting.push_back(&one);
    }
  }
  if (fitting.size() == 1) return *fitting.front();
  if (fitting.empty()) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format(
            "{}; choose one with --profile: {}",
            platform.empty()
                ? std::string("no device with a platform was named")
                : fmt::format("no rescue profile is for the platform '{}'", platform),
            fmt::join(names, ", ")));
  }
  names.clear();
  for (const auto* one : fitting) names.push_back(one->name);
  return base::refuse(Kind::kInvalid,
                      fmt::format("several rescue profiles are for the platform '{}'; "
                                  "choose one with --profile: {}",
                                  platform, fmt::join(names, ", ")));
}

base::Outcome<RescueOpened> Rescues::open(const Caller& caller,
                                          const RescueWanted& wanted) {
  if (wanted.hold < std::chrono::seconds(10) || wanted.hold > kLongestSession) {
    return base::refuse(Kind::kInvalid, "a rescue session lasts 10 seconds to 24 hours");
  }
  std::optional<fleet::Device> device;
  if (!wanted.device.empty()) {
    auto found = repository_.devices.find(wanted.device);
    if (!found) return base::refuse(found.error());
    device = std::move(*found);
  }
  const auto profile = profile_for(wanted, device ? device->platform : std::string());
  if (!profile) return base::refuse(profile.error());
  if (profile->way == rescue::Way::kWaits && !caller.powers.has(auth::Right::kPush)) {
    return base::refuse(
        Kind::kDenied,
        fmt::format(
            "the profile '{}' sends an image into the device, which needs the right "
            "'push'; {} does not have it",
            profile->name, caller.name));
  }
  std::vector<Guest> guests;
  for (const bool serial : {false, true}) {
    for (const auto& text : serial ? wanted.serials : wanted.link_addresses) {
      auto guest = parse_guest(text, serial);
      if (!guest) return base::refuse(guest.error());
      if (guest->address && !profile->network().contains(*guest->address)) {
        return base::refuse(
            Kind::kInvalid,
            fmt::format("{} is not in the session's network {}", guest->address->text(),
                        profile->network().text()));
      }
      guests.push_back(std::move(*guest));
    }
  }
  // The inventory may know whom to expect.
  if (guests.empty() && device && !device->link_address.empty()) {
    Guest known;
    known.link = base::LinkAddress::parse(device->link_address);
    known.device = device->name;
    if (known.link) guests.push_back(std::move(known));
  }
  for (auto& one : guests) {
    if (one.device.empty() && device && guests.size() == 1) one.device = device->name;
  }
  const base::Lock lock(opening_);
  rescue::Session session;
  if (device) session.device = device->id;
  if (device) session.device_name = device->name;
  session.interface = wanted.interface;
  session.profile = profile->name;
  session.platform = profile->platform;
  session.way = profile->way;
  session.over = profile->over;
  session.server = profile->server;
  session.prefix = profile->prefix;
  const auto rescues = repository_.snapshot()->rescues;
  for (const auto& other : rescues->all()) {
    if (auto possible = rescue::Sessions::beside(*other, session); !possible) {
      return base::refuse(possible.error());
    }
  }
  auto files = rescue_files(repository_, *profile, device ? device->name : std::string(),
                            guests, wanted.image, wanted.text);
  if (!files) return base::refuse(files.error());
  const auto wire =
      hands_.look(wanted.interface, *profile, profile->way == rescue::Way::kAsks);
  RescueOpened opened;
  opened.checks = rescue::checks(*profile, wire, files->facts,
                                 {wanted.own_address, wanted.despite_other});
  const bool stops = std::any_of(
      opened.checks.begin(), opened.checks.end(),
      [](const jobs::Check& one) { return one.verdict == jobs::Verdict::kStop; });
  if (stops || !wanted.really) return opened;

  session.own_address =
      std::none_of(wire.addresses.begin(), wire.addresses.end(),
                   [&](const auto& one) { return one.first == profile->server; });
  session.opened_at = repository_.clock.wall();
  session.opened_by = caller.name;
  session.until =
      session.opened_at +
      std::chrono::duration_cast<std::chrono::milliseconds>(wanted.hold).count();
  session.names = std::move(files->names);
  const auto admission = wanted.any_device ? Admission::kAnybody
                         : guests.empty()  ? Admission::kFirst
                                           : Admission::kGuests;
  auto running =
      begin(caller, std::move(session), *profile, std::move(guests), admission);
  if (!running) return base::refuse(running.error());
  if (profile->way == rescue::Way::kWaits) {
    if (auto pushed = push_to(caller, **running); !pushed) {
      end(*running, "server", pushed.error().sentence);
      return base::refuse(pushed.error());
    }
  }
  opened.view = view_of(**running);
  return opened;
}

base::Outcome<std::shared_ptr<Rescues::Running>> Rescues::begin(
    const Caller& caller, rescue::Session wanted, const rescue::Profile& profile,
    std::vector<Guest> guests, Admission admission) {
  const auto session = repository::change(
      repository_, caller.by(),
      [&](db::Transaction& t,
          repository::Change& change) -> base::Outcome<rescue::Session> {
        auto added = rescue::Sessions::add(t, wanted);
        if (!added) return added;
        ledger::Ledger::record(t, entry_of(*added, "rescue-open", caller.by(),
                                           opening_text(*added), change.now()));
        return added;
      });
  if (!session) return base::refuse(session.error());
  const auto undo = [&](const base::Refusal& why) {
    give_back(*session);
    const auto done =
        record_end(*session, "server", why.sentence, "it was not opened", {});
    if (!done) {
      repository_.log.error("a rescue session could not be ended",
                            {{"why", done.error().sentence}});
    }
    return base::refuse(why);
  };
  if (session->own_address) {
    const auto hold = std::chrono::seconds((session->until - session->opened_at) / 1000) +
                      kAddressOutlives;
    const auto added =
        hands_.add_address(session->interface, session->server, session->prefix, hold);
    if (!added) return undo(added.error());
  }
  auto running = std::make_shared<Running>(*session, profile);
  Opening opening;
  opening.session = *session;
  opening.profile = profile;
  opening.guests = std::move(guests);
  opening.admission = admission;
  opening.tell = [this, told = std::weak_ptr<Running>(running)](AddressTold what) {
    const auto to = told.lock();
    if (!to) return;
    const base::Lock lock(to->told_mutex);
    if (to->told.size() < kMostTold) {
      to->told.emplace_back(repository_.clock.wall(), std::move(what));
    }
  };
  auto wire = hands_.open(std::move(opening));
  if (!wire) return undo(wire.error());
  running->wire = std::move(*wire);
  const base::Lock lock(mutex_);
  running_[session->id] = running;
  return running;
}

base::Outcome<void> Rescues::push_to(const Caller& caller, Running& running) {
  const auto& session = running.session;
  const auto& profile = running.profile;
  PushWanted wanted;
  wanted.image = session.names.front().stands_for;
  wanted.to =
      base::Endpoint{profile.first_device,
                     profile.port != 0 ? profile.port
                                       : base::find_protocol(profile.over)->usual_port,
                     0}
          .text();
  wanted.name = session.names.front().name;
  wanted.over = profile.over;
  wanted.wait = std::chrono::milliseconds(session.until - session.opened_at);
  const auto begun = Pushes(repository_, gate_, hands_, caller).begin(wanted);
  if (!begun) return base::refuse(begun.error());
  running.push = begun->id;
  return {};
}

void Rescues::give_back(const rescue::Session& session) {
  if (session.own_address) {
    hands_.remove_address(session.interface, session.server, session.prefix);
  }
}

base::Outcome<void> Rescues::record_end(const rescue::Session& session,
                                        const repository::By& by, const std::string& why,
                                        const std::string& summary,
                                        const std::vector<rescue::Event>& lines) {
  return repository::change(
      repository_, by,
      [&](db::Transaction& t, repository::Change& change) -> base::Outcome<void> {
        for (const auto& one : lines) rescue::Sessions::note(t, one);
        rescue::Sessions::end(t, session, by.name, why, summary, change.now());
        std::string flat;
        for (const char one : summary) {
          if (one == '\n') flat += ';';
          flat += one == '\n' ? ' ' : one;
        }
        ledger::Ledger::record(
            t, entry_of(session, "rescue-end", by, fmt::format("{}; {}", why, flat),
                        change.now()));
        const auto job =
            session.device == 0 ? std::nullopt : jobs::Jobs::open_of(t, session.device);
        if (job) {
          jobs::Jobs::note(t, {0, job->id, change.now(), by.name, "rescue", 0,
                               fmt::format("session {}: {}", session.id, flat)});
        }
        return {};
      });
}

void Rescues::end(const std::shared_ptr<Running>& running, const repository::By& by,
                  const std::string& why) {
  if (running->ended.exchange(true)) return;
  {
    const base::Lock lock(mutex_);
    running_.erase(running->session.id);
  }
  if (running->push) hands_.end_push(*running->push);
  running->wire.reset();
  give_back(running->session);
  follow(*running);
  const auto now = repository_.clock.wall();
  std::vector<rescue::Event> lines;
  std::string summary;
  {
    const base::Lock lock(running->mutex);
    running->story.closed(why, now);
    lines = running->story.take_new();
    summary = running->story.summary();
  }
  if (auto done = record_end(running->session, by, why, summary, lines); !done) {
    // It is over all the same; the next start ends its record.
    repository_.log.error(
        "the end of a rescue session could not be recorded",
        {{"session", running->session.id}, {"why", done.error().sentence}});
  }
  repository_.log.info("rescue session ended", {{"session", running->session.id},
                                                {"interface", running->session.interface},
                                                {"why", why}});
}

std::shared_ptr<Rescues::Running> Rescues::running(std::int64_t id) const {
  const base::Lock lock(mutex_);
  const auto found = running_.find(id);
  return found == running_.end() ? nullptr : found->second;
}

base::Outcome<RescueView> Rescues::close(const Caller& caller, std::int64_t id) {
  if (const auto one = running(id)) end(one, caller.by(), "closed by " + caller.name);
  return find(id);
}

RescueView Rescues::view_of(const Running& running) const {
  const base::Lock lock(running.mutex);
  return {running.session, running.story.stage(repository_.clock.wall()),
          running.story.lines(), undo_lines(running.session)};
}

base::Outcome<RescueView> Rescues::find(std::int64_t id) const {
  if (const auto one = running(id)) return view_of(*one);
  auto session = repository_.rescues.find(id);
  if (!session) return base::refuse(session.error());
  auto lines = repository_.rescues.events(id);
  if (!lines) return base::refuse(lines.error());
  RescueView view;
  view.stage.kind = rescue::StageKind::kClosed;
  view.stage.large = "CLOSED";
  view.stage.small = session->ended_why;
  view.stage.since = session->ended_at;
  view.undo = undo_lines(*session);
  view.session = std::move(*session);
  view.lines = std::move(*lines);
  return view;
}

base::Outcome<std::vector<RescueView>> Rescues::list(std::size_t most) const {
  const auto sessions = repository_.rescues.list(most);
  if (!sessions) return base::refuse(sessions.error());
  std::vector<RescueView> views;
  for (const auto& one : *sessions) {
    auto view = find(one.id);
    if (!view) return base::refuse(view.error());
    views.push_back(std::move(*view));
  }
  return views;
}

void Rescues::refused(const gate::Asker& asker, std::string_view name,
                      const base::Refusal& refusal) {
  const auto rescues = repository_.snapshot()->rescues;
  const auto* session =
      rescues->at(asker.interface(), asker.peer.address, repository_.clock.wall());
  const auto one = session == nullptr ? nullptr : running(session->id);
  if (!one) return;
  const base::Lock lock(one->told_mutex);
  if (one->told.size() >= kMostTold) return;
  one->told.emplace_back(
      repository_.clock.wall(),
      AddressTold{AddressTold::What::kRefused,
                  fmt::format("{} asked for '{}': {}", asker.peer.address.text(),
                              base::printable(name, 80), base::in_full(refusal)),
                  asker.peer.address});
}

std::vector<rescue::Load> Rescues::loads_of(Running& running) const {
  std::vector<rescue::Load> loads;
  for (const auto& view : gate_.transfers().view()) {
    if (view.rescue != running.session.id) continue;
    auto load = load_of(view);
    if (load.pushed) {
      const auto push = hands_.find_push(view.id);
      load.listens = !push || push->listens || load.bytes > 0;
    }
    loads.push_back(std::move(load));
  }
  return loads;
}

void Rescues::ask_whether_back(Running& running, base::WallTime now) {
  const auto& profile = running.profile;
  const auto port = rescue::parse_back_check(profile.check);
  if (!port || !profile.afterwards) return;
  {
    const base::Lock lock(running.mutex);
    if (!running.story.awaits_return() || now - running.asked_back_at < kAskBackEvery) {
      return;
    }
    running.asked_back_at = now;
  }
  const bool there =
      hands_.answers(*profile.afterwards, *port, running.session.interface);
  const base::Lock lock(running.mutex);
  running.story.answers(there, repository_.clock.wall());
}

void Rescues::follow(Running& running) {
  std::vector<std::pair<base::WallTime, AddressTold>> told;
  {
    const base::Lock lock(running.told_mutex);
    told.swap(running.told);
  }
  const auto loads = loads_of(running);
  const auto now = repository_.clock.wall();
  const base::Lock lock(running.mutex);
  // In the order in which it happened.
  struct Seen {
    base::WallTime at = 0;
    const AddressTold* told = nullptr;  // or:
    const rescue::Load* load = nullptr;
  };
  std::vector<Seen> all;
  for (const auto& [at, one] : told) all.push_back({at, &one, nullptr});
  for (const auto& load : loads) {
    all.push_back({load.state == rescue::Load::State::kRunning
                       ? load.pushed ? now : std::min(now, load.began_at)
                       : load.began_at + load.took_ms,
                   nullptr, &load});
  }
  std::stable_sort(all.begin(), all.end(),
                   [](const Seen& a, const Seen& b) { return a.at < b.at; });
  for (const auto& one : all) {
    if (one.told != nullptr) {
      tell(running.story, *one.told, one.at);
    } else {
      running.story.load(*one.load, one.at);
    }
  }
}

// Lines that are new go to the database, and to the ledger where nothing else puts them
// there.
void Rescues::keep(Running& running) {
  std::vector<rescue::Event> lines;
  {
    const base::Lock lock(running.mutex);
    lines = running.story.take_new();
  }
  if (lines.empty()) return;
  const auto kept =
      repository_.database->write([&](db::Transaction& t) -> base::Outcome<void> {
        for (const auto& one : lines) {
          rescue::Sessions::note(t, one);
          const bool is_transfer = one.what == word(rescue::StageKind::kLoading) ||
                                   one.what == word(rescue::StageKind::kLoaded) ||
                                   one.what == word(rescue::StageKind::kInterrupted);
          if (is_transfer) continue;
          ledger::Ledger::record(
              t, entry_of(running.session, "rescue", "server", one.sentence, one.at));
        }
        return {};
      });
  if (!kept) {
    repository_.log.error(
        "what happens in a rescue session could not be recorded",
        {{"session", running.session.id}, {"why", kept.error().sentence}});
  }
}

void Rescues::tick() {
  std::vector<std::shared_ptr<Running>> all;
  {
    const base::Lock lock(mutex_);
    for (const auto& [id, one] : running_) all.push_back(one);
  }
  for (const auto& one : all) {
    const auto now = repository_.clock.wall();
    if (now >= one->session.until) {
      end(one, "server", "its time was over");
      continue;
    }
    follow(*one);
    ask_whether_back(*one, now);
    keep(*one);
  }
}

void Rescues::end_all(const std::string& why) {
  std::vector<std::shared_ptr<Running>> all;
  {
    const base::Lock lock(mutex_);
    for (const auto& [id, one] : running_) all.push_back(one);
  }
  for (const auto& one : all) end(one, "server", why);
}

void Rescues::end_left_over() {
  // Their index is in the snapshot.
  const auto left = repository_.snapshot()->rescues;
  for (const auto& one : left->all()) {
    give_back(*one);
    const std::string why = "the server stopped without ending it";
    const auto done = record_end(*one, "server", why,
                                 "what had been opened was closed at the next start", {});
    if (!done) {
      repository_.log.error("a rescue session of before could not be ended",
                            {{"session", one->id}, {"why", done.error().sentence}});
    } else {
      repository_.log.warning("a rescue session of before was ended",
                              {{"session", one->id}, {"interface", one->interface}});
    }
  }
}

std::size_t Rescues::open_sessions() const {
  const base::Lock lock(mutex_);
  return running_.size();
}

}  // namespace vantro::desk
