#include "upkeep/resealer.h"

#include <exception>
#include <fmt/format.h>
#include <shared_mutex>

namespace vantro::upkeep {

using base::Kind;

namespace {

constexpr std::int64_t kAtOnce = 1000;
constexpr std::chrono::seconds kCountedFor{5};
constexpr std::chrono::milliseconds kAsksAgain{500};

}  // namespace

Resealer::~Resealer() {
  {
    const base::Lock lock(mutex_);
    stopping_ = true;
  }
  if (thread_.joinable()) thread_.join();
}

ResealProgress Resealer::progress() const {
  const auto now = repository_.clock.now();
  bool count_again = false;
  {
    const base::Lock lock(mutex_);
    count_again = !progress_.running && now - counted_at_ > kCountedFor;
    if (count_again) counted_at_ = now;
  }
  const auto all = count_again ? count() : base::Outcome<std::uint64_t>(0);
  const base::Lock lock(mutex_);
  if (count_again && all && *all >= progress_.contents) {
    progress_.done += *all - progress_.contents;
    progress_.contents = *all;
  }
  return progress_;
}

base::Outcome<std::vector<Resealer::Content>> Resealer::contents(
    const std::string& behind) const {
  using Contents = std::vector<Content>;
  return repository_.database->read([&](db::Transaction& t) -> base::Outcome<Contents> {
    Contents found;
    for (const auto& row : t.query(
             "select r.sha256, max(r.size), case when max(case when r.kind = "
             "'configuration' then 0 else 1 end) = 1 or r.sha256 in (select sha256 from "
             "images union select sha256 from documents) then 1 else 0 end from "
             "revisions r where r.sha256 > :s and r.complete = 1 group by r.sha256 "
             "having "
             "min(case when r.kind = 'configuration' then 0 else 1 end) = 0 order by "
             "r.sha256 limit :m",
             {behind, kAtOnce})) {
      found.push_back(
          {row.text(0), static_cast<std::uint64_t>(row.integer(1)), row.integer(2) == 0});
    }
    return found;
  });
}

base::Outcome<std::uint64_t> Resealer::count() const {
  return repository_.database->read(
      [](db::Transaction& t) -> base::Outcome<std::uint64_t> {
        return static_cast<std::uint64_t>(
            t.query("select count(distinct sha256) from revisions where complete = 1 and "
                    "kind = 'configuration'")
                .front()
                .integer(0));
      });
}

void Resealer::start() {
  const base::Lock lock(mutex_);
  progress_.running = true;
  thread_ = std::thread([this] {
    try {
      run();
    } catch (const std::exception& error) {
      const base::Lock guard(mutex_);
      progress_.running = false;
      progress_.trouble = error.what();
    }
  });
}

base::Outcome<void> Resealer::reseal(const Content& content) {
  // Nobody removes these bytes meanwhile; others may file the same ones.
  const std::shared_lock lock(repository_.vault_mutex);
  return repository_.folder.reseal(content.sha256, content.size,
                                   content.only_configurations);
}

bool Resealer::is_due() {
  while (!repository_.nodes.take(repository::work::kReseal)) {
    std::this_thread::sleep_for(kAsksAgain);
    const base::Lock lock(mutex_);
    if (stopping_) return false;
  }
  return true;
}

void Resealer::run() {
  if (!is_due()) {
    const base::Lock lock(mutex_);
    progress_.running = false;
    return;
  }
  if (const auto all = count()) {
    const base::Lock lock(mutex_);
    progress_.contents = *all;
  }
  std::string locked;
  std::string behind;
  bool more = true;
  while (more) {
    const auto some = contents(behind);
    if (!some) {
      const base::Lock lock(mutex_);
      progress_.trouble = some.error().sentence;
      break;
    }
    more = !some->empty();
    for (const auto& content : *some) {
      behind = content.sha256;
      {
        const base::Lock lock(mutex_);
        if (stopping_) more = false;
      }
      if (!more) break;
      const auto done = reseal(content);
      const base::Lock lock(mutex_);
      if (done) {
        ++progress_.done;
      } else if (done.error().kind == Kind::kDenied) {
        ++progress_.locked;
        locked = done.error().sentence;
      } else {
        progress_.trouble = fmt::format("{}: {}", content.sha256, done.error().sentence);
      }
    }
  }
  const base::Lock lock(mutex_);
  progress_.running = false;
  if (progress_.locked > 0) {
    progress_.trouble =
        fmt::format("{} of {} configurations can't be read; one of them: {}",
                    progress_.locked, progress_.contents, locked);
  }
  if (progress_.trouble.empty()) return;
  repository_.log.error(
      "configurations could not be encrypted with the newest key",
      {{"done", progress_.done}, {"of", progress_.contents}, {"why", progress_.trouble}});
}

}  // namespace vantro::upkeep
