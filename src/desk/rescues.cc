#include "desk/rescues.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "desk/rescue_running.h"
#include "jobs/jobs.h"
#include "repository/change.h"

namespace vantro::desk {

namespace rescue = jobs::rescue;

namespace {

constexpr std::int64_t kAskBackEvery = 2000;  // ms

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

ledger::Entry rescue_entry(const rescue::Session& session, const std::string& event,
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

std::vector<std::string> undo_lines(const rescue::Session& session) {
  std::vector<std::string> lines;
  const auto address = fmt::format("{}/{}", session.server.text(), session.prefix);
  if (session.own_address) {
    lines.push_back(
        fmt::format("{} was removed from {}; nothing to do", address, session.interface));
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
            t, rescue_entry(session, "rescue-end", by, fmt::format("{}; {}", why, flat),
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
  if (const auto push = running->push.load(); push != 0) hands_.end_push(push);
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
    // It is over anyway; the next start ends its record.
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
  if (const auto one = running(id)) {
    end(one, caller.by(), "closed by " + caller.name);
  } else if (const auto session = repository_.rescues.find(id);
             session && session->ended_at == 0 &&
             session->node != repository_.folder.node()) {
    return base::refuse(base::Kind::kInvalid,
                        fmt::format("rescue session {} is on {} of the node '{}'; end it "
                                    "there",
                                    id, session->interface, session->node));
  }
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
  if (session->ended_at == 0) {
    // Its node follows it; the lines are in the database.
    view.stage.large = "ON ANOTHER NODE";
    view.stage.small =
        lines->empty() ? "no sign of the device yet" : lines->back().sentence;
    view.stage.since = lines->empty() ? session->opened_at : lines->back().at;
  } else {
    view.stage.kind = rescue::StageKind::kClosed;
    view.stage.large = "CLOSED";
    view.stage.small = session->ended_why;
    view.stage.since = session->ended_at;
  }
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

// New lines go to the database, and to the ledger if nothing else puts them there.
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
              t, rescue_entry(running.session, "rescue", "server", one.sentence, one.at));
        }
        return {};
      });
  if (!kept) {
    repository_.log.error(
        "events of a rescue session could not be recorded",
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
    if (one->node != repository_.folder.node()) continue;
    give_back(*one);
    const std::string why = "the server stopped without ending it";
    const auto done =
        record_end(*one, "server", why, "everything was closed at the next start", {});
    if (!done) {
      repository_.log.error("an earlier rescue session could not be ended",
                            {{"session", one->id}, {"why", done.error().sentence}});
    } else {
      repository_.log.warning("an earlier rescue session was ended",
                              {{"session", one->id}, {"interface", one->interface}});
    }
  }
}

base::Outcome<void> Rescues::end_of_node(const std::string& node) {
  const auto left = repository_.snapshot()->rescues;
  for (const auto& one : left->all()) {
    if (one->node != node) continue;
    if (auto done = record_end(
            *one, "server", "its node is gone",
            fmt::format(
                "ended by another node; if '{}' comes back, it removes what is left "
                "on {}",
                node, one->interface),
            {});
        !done) {
      return done;
    }
  }
  return {};
}

}  // namespace vantro::desk
