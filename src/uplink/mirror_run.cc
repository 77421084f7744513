#include "uplink/mirror_run.h"

#include <algorithm>
#include <fmt/format.h>
#include <random>

#include "api/operations.h"
#include "base/sizes.h"
#include "base/visible_name.h"

namespace vantro::uplink {
namespace {

using base::Kind;
using std::chrono::hours;
using std::chrono::milliseconds;
using std::chrono::minutes;
using std::chrono::seconds;

// A shorter silence of headquarters is not worth a word at a device's console.
constexpr base::WallTime kSilenceToTell = 5 * base::WallTime{60'000};
constexpr base::WallTime kSweptEvery = base::WallTime{3'600'000};
constexpr std::int64_t kLongestRetry = 3600;  // seconds
// How long one go of sending up may take: then news come first.
constexpr seconds kSendsFor{5};

std::string ago(base::WallTime since, base::WallTime now) {
  return base::duration_text(static_cast<double>(now - since) / 1000);
}

bool is_for(const mirror::Awaited& one, const base::Address& address) {
  return !one.network || one.network->contains(address);
}

mirror::News news_of(api::MirrorNews given) {
  mirror::News news;
  news.tag = std::move(given.tag);
  news.base = std::move(given.base);
  news.sequence = given.sequence;
  news.at = base::parse_iso_time(given.at).value_or(0);
  news.sync = given.sync;
  for (auto& one : given.gone) {
    news.gone.push_back({std::move(one.table), std::move(one.row)});
  }
  for (auto& one : given.fresh) {
    news.fresh.emplace_back(mirror::Key{std::move(one.table), std::move(one.row)},
                            mirror::Record{std::move(one.columns), std::move(one.needs)});
  }
  return news;
}

api::MirrorRow row_of(const ledger::Entry& entry) {
  api::MirrorRow row;
  row.id = entry.id;
  row.at = base::iso_time(entry.at);
  row.event = entry.event;
  row.actor = entry.actor;
  row.from = entry.from;
  row.device = entry.device;
  row.protocol = entry.protocol;
  row.heard_on = entry.heard_on;
  row.account = entry.account;
  row.name = entry.name;
  row.sha256 = entry.sha256;
  row.bytes = entry.bytes;
  row.total = entry.total;
  row.duration_ms = entry.duration_ms;
  row.resent = entry.resent;
  row.outcome = entry.outcome;
  row.sentence = entry.sentence;
  row.request = entry.request;
  return row;
}

}  // namespace

MirrorRun::MirrorRun(repository::Repository& repository, const base::Clock& clock,
                     base::Log log, MirrorConfig config)
    : repository_(repository),
      clock_(clock),
      log_(std::move(log)),
      config_(std::move(config)),
      adoption_(repository),
      outgoing_(repository),
      parts_(repository, adoption_),
      news_link_(config_.headquarters, stopping_),
      contents_link_(config_.headquarters, stopping_),
      follower_(config_.pace, std::random_device{}(), clock.now()) {}

MirrorRun::~MirrorRun() { stop(); }

base::Outcome<std::unique_ptr<MirrorRun>> MirrorRun::open(
    repository::Repository& repository, const base::Clock& clock, base::Log log,
    MirrorConfig config) {
  std::unique_ptr<MirrorRun> run(
      new MirrorRun(repository, clock, std::move(log), std::move(config)));
  if (auto known = run->adoption_.open(run->config_.headquarters.url); !known) {
    return base::refuse(known.error());
  }
  if (auto opened = run->parts_.open(); !opened) return base::refuse(opened.error());
  return run;
}

void MirrorRun::start() {
  news_ = std::thread([this] { run_news(); });
  contents_ = std::thread([this] { run_contents(); });
}

void MirrorRun::stop() {
  stopping_ = true;
  {
    const base::Lock lock(mutex_);
    wake_.notify_all();
  }
  if (news_.joinable()) news_.join();
  if (contents_.joinable()) contents_.join();
}

void MirrorRun::carry_out(std::vector<mirror::Action> actions) {
  for (auto& one : actions) {
    if (std::holds_alternative<mirror::AskNews>(one)) {
      to_ask_ = true;
    } else {
      to_do_ = std::move(one);
    }
  }
  wake_.notify_all();
}

void MirrorRun::step(mirror::Event event) {
  const base::Lock lock(mutex_);
  carry_out(follower_.step(std::move(event), clock_.now(), clock_.wall()));
}

template <class Ready>
void MirrorRun::wait_for(base::Lock& lock, Ready ready) {
  while (!stopping_ && !ready()) {
    const auto now = clock_.now();
    const auto at = follower_.deadline().value_or(now + hours(1));
    if (at <= now) {
      carry_out(follower_.step(now, clock_.wall()));
      // Nothing to be done now: both kinds of work are under way.
      if (!ready() && follower_.deadline().value_or(now + hours(1)) <= now) {
        wake_.wait_until(lock, now + milliseconds(100));
      }
      continue;
    }
    wake_.wait_until(lock, at);
  }
}

void MirrorRun::run_news() {
  bool more_up = false;
  while (!stopping_) {
    {
      base::Lock lock(mutex_);
      if (!more_up) {
        wait_for(lock, [this]() VANTRO_REQUIRES(mutex_) { return to_ask_; });
      } else if (follower_.deadline().value_or(clock_.now()) <= clock_.now()) {
        carry_out(follower_.step(clock_.now(), clock_.wall()));
      }
      if (stopping_) return;
      if (!to_ask_) {
        lock.unlock();
        more_up = send_up();
        continue;
      }
      to_ask_ = false;
    }
    auto came = ask();
    const bool reached = came.result.has_value();
    step(std::move(came));
    more_up = reached && send_up();
    tell_trouble();
    if (reached) sweep();
  }
}

mirror::Report MirrorRun::report() {
  mirror::Report report;
  report.tag = all_records_ ? "" : adoption_.standing().tag;
  report.wants = config_.wants;
  report.version = config_.version;
  report.held = adoption_.held().value_or(0);
  report.rows_waiting = outgoing_.waiting().value_or(0);
  const base::Lock lock(mutex_);
  report.lacking = follower_.lacking();
  report.missing = follower_.missing_bytes();
  report.rate = follower_.rate();
  const auto failing = follower_.failing();
  if (!failing.empty()) report.trouble = failing.begin()->second;
  if (report.trouble.empty()) report.trouble = up_trouble_;
  return report;
}

mirror::NewsCame MirrorRun::ask() {
  mirror::NewsCame came;
  const auto own = report();
  api::MirrorReport asked;
  asked.tag = own.tag;
  asked.wants = {own.wants.platforms, own.wants.lines, own.wants.offers,
                 own.wants.kits,      own.wants.jobs,  own.wants.sites};
  asked.version = own.version;
  asked.held = own.held;
  asked.lacking = own.lacking;
  asked.missing = own.missing;
  asked.rate = own.rate;
  asked.rows_waiting = own.rows_waiting;
  asked.trouble = own.trouble;
  auto answer = news_link_.call(api::kMirrorNews, {}, asked);
  if (!answer) {
    came.result = base::refuse(answer.error().refusal);
    return came;
  }
  const auto news = news_of(std::move(*answer));
  came.sync = news.sync;
  const auto changed = adoption_.take(news);
  if (!changed) {
    // All of them are asked for at once, unless these were all.
    const bool again = changed.error().kind == Kind::kMismatch && !news.base.empty();
    all_records_ = again;
    if (again) {
      log_.info("the changes from headquarters do not fit; all records are asked for");
      return ask();
    }
    came.result = base::refuse(changed.error());
    return came;
  }
  all_records_ = false;
  auto lacking = parts_.lacking();
  if (!lacking) {
    came.result = base::refuse(lacking.error());
    return came;
  }
  if (*changed) {
    log_.info("headquarters told changes", {{"records", news.fresh.size()},
                                            {"gone", news.gone.size()},
                                            {"lacking", lacking->size()}});
  }
  came.lacking = std::move(*lacking);
  return came;
}

bool MirrorRun::send_up() {
  const auto until = clock_.now() + kSendsFor;
  const auto told = [&](const std::string& why) {
    const base::Lock lock(mutex_);
    up_trouble_ = why;
  };
  while (!stopping_ && clock_.now() < until) {
    const auto rows = outgoing_.rows();
    if (!rows) {
      told(rows.error().sentence);
      return false;
    }
    if (rows->empty()) {
      told("");
      return false;
    }
    if (!send_up_to(*rows)) return false;
  }
  return !stopping_;
}

Result<api::MirrorRowsTaken> MirrorRun::send_rows(
    const std::vector<ledger::Entry>& rows) {
  api::MirrorRows given;
  for (const auto& one : rows) given.rows.push_back(row_of(one));
  return news_link_.call(api::kMirrorRows, {}, given);
}

bool MirrorRun::send_up_to(const std::vector<ledger::Entry>& rows) {
  const auto fails = [&](const base::Refusal& why) {
    const base::Lock lock(mutex_);
    up_trouble_ = "the ledger does not get to headquarters: " + why.sentence;
    return false;
  };
  auto taken = send_rows(rows);
  if (!taken) return fails(taken.error().refusal);
  if (auto noted = outgoing_.sent(taken->upto); !noted) return fails(noted.error());
  if (taken->wants.empty()) return true;
  const auto about = std::find_if(rows.begin(), rows.end(), [&](const auto& one) {
    return one.id > taken->upto && one.sha256 == taken->wants;
  });
  if (about == rows.end()) return true;
  const auto until = clock_.now() + kSendsFor;
  auto have = taken->have;
  do {
    const auto piece = outgoing_.piece(*about, have);
    if (!piece && piece.error().kind == Kind::kCorrupt) {
      // Retention has removed it, or the disk has lost it: the rows behind it must not
      // wait for ever.
      auto row = *about;
      row.sha256.clear();
      row.sentence += std::string(row.sentence.empty() ? "" : "; ") +
                      "its bytes were gone at the mirror before they were sent";
      taken = send_rows({row});
      if (!taken) return fails(taken.error().refusal);
      if (auto noted = outgoing_.sent(taken->upto); !noted) return fails(noted.error());
      return true;
    }
    if (!piece) return fails(piece.error());
    const auto got =
        news_link_.send(api::kMirrorPiece, {about->sha256, about->bytes, have}, *piece);
    if (!got) return fails(got.error().refusal);
    have = got->have;
  } while (have < about->bytes && clock_.now() < until);
  return true;
}

void MirrorRun::run_contents() {
  while (!stopping_) {
    std::optional<mirror::Action> action;
    {
      base::Lock lock(mutex_);
      wait_for(lock, [this]() VANTRO_REQUIRES(mutex_) { return to_do_.has_value(); });
      if (stopping_) return;
      action.swap(to_do_);
    }
    auto event = std::visit(
        [this](const auto& one) -> mirror::Event {
          if constexpr (std::is_same_v<std::decay_t<decltype(one)>, mirror::AskNews>) {
            return mirror::SyncWanted{};  // carry_out() keeps those for the other thread
          } else {
            return done(one);
          }
        },
        *action);
    step(std::move(event));
  }
}

mirror::Event MirrorRun::done(const mirror::MakePlan& wanted) {
  const auto packed =
      contents_link_.bytes(api::kMirrorChunks, {wanted.sha256}, config_.pace.rate);
  if (!packed) {
    return mirror::Planned{wanted.sha256, base::refuse(packed.error().refusal),
                           packed.error().link};
  }
  auto spans = parts_.plan(wanted.sha256, *packed);
  if (spans) {
    log_.info("a content is fetched by its chunks",
              {{"sha256", wanted.sha256}, {"to fetch", mirror::to_fetch(*spans)}});
  }
  return mirror::Planned{wanted.sha256, std::move(spans)};
}

mirror::Event MirrorRun::done(const mirror::FetchPiece& piece) {
  const auto begun = clock_.now();
  const auto bytes = contents_link_.bytes(
      api::kMirrorContent, {piece.sha256, piece.offset, piece.count}, config_.pace.rate);
  const auto took = clock_.now() - begun;
  if (!bytes) {
    return mirror::PieceCame{piece.sha256, base::refuse(bytes.error().refusal), 0, took,
                             bytes.error().link};
  }
  if (bytes->size() != piece.count) {
    return mirror::PieceCame{
        piece.sha256,
        base::refuse(Kind::kIo, "headquarters sent another number of bytes"), 0, took};
  }
  return mirror::PieceCame{piece.sha256, parts_.write(piece, base::as_bytes(*bytes)),
                           piece.count, took};
}

mirror::Event MirrorRun::done(const mirror::CopyPiece& piece) {
  return mirror::PieceCame{piece.sha256, parts_.copy(piece)};
}

mirror::Event MirrorRun::done(const mirror::FileContent& content) {
  mirror::Filed filed{content.sha256, parts_.file(content.sha256)};
  if (!filed.result) {
    log_.warning("a content could not be filed",
                 {{"sha256", content.sha256}, {"why", filed.result.error().sentence}});
  }
  return filed;
}

void MirrorRun::sweep() {
  const auto now = clock_.wall();
  if (now - swept_at_ < kSweptEvery) return;
  swept_at_ = now;
  const auto kept = std::chrono::duration_cast<milliseconds>(config_.keep).count();
  const auto removed = adoption_.sweep(now - kept);
  if (!removed) {
    log_.error("old images could not be removed", {{"why", removed.error().sentence}});
  } else if (*removed > 0) {
    log_.info("images that headquarters no longer names were removed",
              {{"images", *removed}});
  }
}

void MirrorRun::tell_trouble() {
  const auto standing = adoption_.standing();
  const auto now = clock_.wall();
  std::vector<std::string> sentences;
  std::string unreachable, up;
  std::map<std::string, std::string> failing;
  {
    const base::Lock lock(mutex_);
    unreachable = follower_.unreachable();
    failing = follower_.failing();
    up = up_trouble_;
  }
  if (!unreachable.empty() && now - standing.heard_at > kSilenceToTell) {
    sentences.push_back(
        standing.heard_at == 0
            ? fmt::format("headquarters {} has never been reached: {}",
                          config_.headquarters.url, unreachable)
            : fmt::format("headquarters {} has not been reached for {}: {}; names, rules "
                          "and withdrawals are as of {}",
                          config_.headquarters.url, ago(standing.heard_at, now),
                          unreachable, base::local_time(standing.as_of)));
  }
  if (!failing.empty()) {
    sentences.push_back(fmt::format(
        "{} from headquarters: {}",
        failing.size() == 1 ? "an image does not come" : "some images do not come",
        failing.begin()->second));
  }
  if (!up.empty() && unreachable.empty()) sentences.push_back(up);
  repository_.troubles.set("mirror", std::move(sentences));
}

void MirrorRun::sync() { step(mirror::SyncWanted{}); }

api::MirrorState MirrorRun::state() const {
  api::MirrorState state;
  const auto standing = adoption_.standing();
  state.of = config_.headquarters.url;
  state.wants = config_.wants.text();
  if (standing.heard_at != 0) state.as_of = base::iso_time(standing.as_of);
  state.hours = config_.pace.hours.text();
  state.held = adoption_.held().value_or(0);
  state.rows_waiting = outgoing_.waiting().value_or(0);
  const auto now = clock_.now();
  const auto wall = clock_.wall();
  const base::Lock lock(mutex_);
  state.unreachable = follower_.unreachable();
  state.in_hours = follower_.in_hours(wall);
  state.missing = follower_.missing_bytes();
  state.rate = follower_.rate();
  state.trouble = up_trouble_;
  const auto failing = follower_.failing();
  for (const auto& one : follower_.in_order()) {
    api::MirrorLack lack;
    lack.name = one.name;
    lack.size = one.size;
    lack.have = follower_.have(one.sha256);
    lack.why = one.why;
    if (const auto left = follower_.expected(one.sha256, now, wall)) {
      lack.seconds_left = std::chrono::duration_cast<seconds>(*left).count();
    }
    const auto why = failing.find(one.sha256);
    if (why != failing.end()) lack.trouble = why->second;
    state.lacking.push_back(std::move(lack));
  }
  return state;
}

std::optional<base::Refusal> MirrorRun::awaited(const std::string& name,
                                                const base::Address& from) const {
  const auto names = adoption_.awaited();
  const auto [first, end] = names->equal_range(base::folded(name));
  const auto found = std::find_if(
      first, end, [&](const auto& entry) { return is_for(entry.second, from); });
  if (found == end) return std::nullopt;
  const auto& one = found->second;
  if (!one.withdrawn.empty()) {
    return base::Refusal{Kind::kDenied,
                         fmt::format("'{}' was withdrawn: {}", one.name, one.withdrawn)};
  }
  if (!one.wanted) {
    return base::Refusal{
        Kind::kDenied,
        fmt::format("'{}' is not here, and cannot be fetched from headquarters",
                    one.name)};
  }
  const base::Lock lock(mutex_);
  base::Refusal refusal{Kind::kBusy,
                        fmt::format("'{}' is still on its way here: {} of {}", one.name,
                                    base::size_text(follower_.have(one.sha256)),
                                    base::size_text(one.size))};
  const auto left = follower_.expected(one.sha256, clock_.now(), clock_.wall());
  if (left) {
    const auto whole = std::chrono::duration_cast<seconds>(*left).count();
    refusal.sentence += fmt::format("; ready in about {}",
                                    base::duration_text(static_cast<double>(whole)));
    refusal.retry_after_s = std::clamp<std::int64_t>(whole, 1, kLongestRetry);
  } else if (!follower_.unreachable().empty()) {
    refusal.sentence += "; headquarters is not reached now";
  }
  return refusal;
}

std::string MirrorRun::age() const {
  const auto heard_at = adoption_.standing().heard_at;
  const auto now = clock_.wall();
  if (now - heard_at <= kSilenceToTell) return "";
  return heard_at == 0 ? "; this mirror has not heard headquarters yet"
                       : fmt::format("; this mirror last heard headquarters {} ago",
                                     ago(heard_at, now));
}

gate::AsMirror MirrorRun::as_mirror() {
  return {config_.headquarters.url,
          [this](const std::string& name, const base::Address& from) {
            return awaited(name, from);
          },
          [this](const base::Address& from) {
            const auto all = adoption_.awaited();
            std::vector<std::string> names;
            for (const auto& [folded, one] : *all) {
              if (is_for(one, from)) names.push_back(one.name);
            }
            return names;
          },
          [this] { return age(); }};
}

}  // namespace vantro::uplink
