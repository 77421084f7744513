#include "gate/verify_first.h"

#include <algorithm>
#include <exception>
#include <fmt/format.h>
#include <iterator>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "gate/tree.h"
#include "gate/workings.h"
#include "repository/verify_content.h"

namespace vantro::gate {
namespace {

using base::Kind;

// A request after this begins another attempt.
constexpr std::chrono::seconds kFailureHolds{5};
// Times of so many are remembered; others are looked up again.
constexpr std::size_t kMostRemembered = 10'000;

}  // namespace

VerifyFirst::VerifyFirst(Workings& workings, std::chrono::hours unread_for,
                         std::chrono::seconds patience)
    : workings_(workings), unread_for_(unread_for), patience_(patience) {
  if (unread_for_.count() != 0) thread_ = std::thread([this] { run(); });
}

VerifyFirst::~VerifyFirst() { stop(); }

void VerifyFirst::stop() {
  {
    const base::Lock lock(mutex_);
    stopping_ = true;
  }
  more_.notify_all();
  if (thread_.joinable()) thread_.join();
}

bool VerifyFirst::due(const Found& found) {
  if (unread_for_.count() == 0 || found.text) return false;
  const base::Lock lock(mutex_);
  return is_due(found);
}

bool VerifyFirst::is_due(const Found& found) {
  const auto before = workings_.clock.wall() - unread_for_.count();
  if (found.read_at > before) return false;
  const auto known = verified_.find(found.digests.sha256);
  return known == verified_.end() || known->second <= before;
}

VerifyFirst::Job& VerifyFirst::job_for(const Found& found) {
  auto& job = jobs_[found.digests.sha256];
  job.size = found.size;
  more_.notify_all();
  return job;
}

void VerifyFirst::wait(const Found& found, Then then) {
  const base::Lock lock(mutex_);
  failed_.erase(found.digests.sha256);
  job_for(found).waiters.push_back(
      {std::chrono::steady_clock::now() + patience_, std::move(then)});
}

base::Outcome<void> VerifyFirst::allow(const Found& found) {
  if (!due(found)) return {};
  const base::Lock lock(mutex_);
  if (!is_due(found)) return {};
  const auto failed = failed_.find(found.digests.sha256);
  if (failed != failed_.end()) {
    if (std::chrono::steady_clock::now() - failed->second.at < kFailureHolds) {
      return base::refuse(Kind::kIo, failed->second.sentence);
    }
    failed_.erase(failed);
  }
  const auto& job = job_for(found);
  return base::refuse(
      Kind::kBusy,
      fmt::format("the server verifies '{}' first ({} of {}); ask again in a minute",
                  base::printable(found.name, base::kLongestName),
                  base::size_text(job.bytes_read), base::size_text(job.size)));
}

std::vector<VerifyFirst::Then> VerifyFirst::overdue() {
  const auto now = std::chrono::steady_clock::now();
  std::vector<Then> over;
  for (auto& [sha256, job] : jobs_) {
    const auto rest =
        std::stable_partition(job.waiters.begin(), job.waiters.end(),
                              [&](const auto& one) { return one.until > now; });
    std::transform(rest, job.waiters.end(), std::back_inserter(over),
                   [](auto& one) { return std::move(one.then); });
    job.waiters.erase(rest, job.waiters.end());
  }
  return over;
}

// An exception of one must neither keep the others waiting nor end the process.
void VerifyFirst::tell(const Then& then) const {
  try {
    then();
  } catch (const std::exception& error) {
    workings_.log.error("a fetch that waited for verification was lost",
                        {{"why", error.what()}});
  }
}

bool VerifyFirst::piece_read(const std::string& sha256, std::uint64_t bytes) {
  std::vector<Then> over;
  {
    const base::Lock lock(mutex_);
    if (stopping_) return false;
    jobs_[sha256].bytes_read += bytes;
    over = overdue();
  }
  for (const auto& then : over) tell(then);
  return true;
}

bool VerifyFirst::read_lately(const std::string& sha256) {
  const auto read_at = workings_.repository.database->read(
      [&](db::Transaction& t) -> base::Outcome<base::WallTime> {
        const auto rows = t.query(
            "select coalesce(max(read_at), 0) from (select read_at from images "
            "where sha256 = :a union all select read_at from revisions where "
            "sha256 = :b and complete = 1) as reads",
            {sha256, sha256});
        return rows.empty() ? 0 : rows.front().integer(0);
      });
  return read_at && *read_at > workings_.clock.wall() - unread_for_.count();
}

std::string VerifyFirst::verify(const std::string& sha256, std::uint64_t size) {
  // The asker may know an older time than the database.
  if (read_lately(sha256)) return "";
  const auto result = repository::verify_content(
      workings_.repository, sha256, size, false,
      [&](std::uint64_t bytes) { return piece_read(sha256, bytes); });
  if (!result.noted) {
    workings_.log.error("the result of verifying before a fetch could not be recorded",
                        {{"sha256", sha256}, {"why", result.noted.error().sentence}});
  }
  switch (result.reading) {
    case repository::Reading::kWhole:
      workings_.log.info("verified before a fetch",
                         {{"sha256", sha256}, {"bytes", size}});
      return "";
    case repository::Reading::kReplaced:
      return "";
    case repository::Reading::kLocked:  // opening it says so, and which key
      return "";
    case repository::Reading::kLost:
    case repository::Reading::kUnreadable:
      return result.sentence;
    case repository::Reading::kStopped:
      break;
  }
  return "the server is being stopped";
}

void VerifyFirst::run() {
  base::Lock lock(mutex_);
  while (true) {
    while (!stopping_ && jobs_.empty()) more_.wait(lock);
    if (stopping_) return;
    // The smallest first: it delays the others least.
    const auto next = std::min_element(
        jobs_.begin(), jobs_.end(),
        [](const auto& a, const auto& b) { return a.second.size < b.second.size; });
    const auto sha256 = next->first;
    const auto size = next->second.size;
    lock.unlock();
    std::string failed;
    try {
      failed = verify(sha256, size);
    } catch (const std::exception& error) {
      failed = error.what();
    }
    lock.lock();
    if (stopping_) return;
    if (failed.empty()) {
      if (verified_.size() >= kMostRemembered) verified_.clear();
      verified_[sha256] = workings_.clock.wall();
    } else {
      if (failed_.size() >= kMostRemembered) failed_.clear();
      failed_[sha256] = {std::chrono::steady_clock::now(), failed};
    }
    auto done = std::move(jobs_[sha256]);
    jobs_.erase(sha256);
    lock.unlock();
    for (const auto& one : done.waiters) tell(one.then);
    done = {};
    lock.lock();
  }
}

}  // namespace vantro::gate
