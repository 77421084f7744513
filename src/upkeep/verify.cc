#include "upkeep/verify.h"

#include <array>
#include <exception>
#include <fmt/format.h>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "repository/verify_content.h"

namespace vantro::upkeep {
namespace {

using base::Kind;

// A disk that is lost altogether must not fill the memory as well.
constexpr std::size_t kMostDamagesListed = 1000;
constexpr const char* kStoppedEarly = "stopped before its end";
// How often a file that could not be read is tried again, after a pause.
constexpr int kMoreTurns = 3;
constexpr std::chrono::seconds kTurnPause{2};
// Records of three tables in one number: id * 3, plus the table's place here.
constexpr std::array kTables{"images", "revisions", "documents"};

}  // namespace

Verifier::~Verifier() { stop(); }

void Verifier::stop() {
  {
    const base::Lock lock(mutex_);
    stopping_ = true;
  }
  stopped_.notify_all();
  if (thread_.joinable()) thread_.join();
}

VerifyProgress Verifier::progress() const {
  const base::Lock lock(mutex_);
  return progress_;
}

// The contents with the oldest check come first: a run that is stopped was not in vain.
base::Outcome<Verifier::Listed> Verifier::contents(const VerifyRequest& request) const {
  std::string only;
  if (request.image) {
    const auto name = base::visible_name(*request.image);
    if (!name) return base::refuse(name.error());
    const auto image = repository_.catalog.find(*name);
    if (!image) return base::refuse(image.error());
    only = image->digests.sha256;
  }
  const auto before =
      repository_.clock.wall() - std::chrono::milliseconds(request.unread_for).count();
  return repository_.database->read([&](db::Transaction& t) -> base::Outcome<Listed> {
    Listed result;
    t.each(
        // Including damaged or missing ones: somebody may have put them back. The newest
        // record of a content is the one that stays longest.
        "select max(record), size from ("
        "select id * 3 as record, sha256, size, read_at, whole from images union all "
        "select id * 3 + 1, sha256, size, read_at, whole from revisions where "
        "complete = 1 union all "
        "select id * 3 + 2, sha256, size, added_at, whole from documents) as records "
        "where (:a = '' or sha256 = :b) group by sha256, size "
        "having max(read_at) <= :c or min(whole) = 0 order by max(read_at), sha256",
        {only, only, before}, [&](const db::Row& row) {
          result.records.push_back(row.integer(0));
          result.bytes += static_cast<std::uint64_t>(row.integer(1));
        });
    return result;
  });
}

base::Outcome<std::optional<Verifier::Content>> Verifier::content_of(
    Record record) const {
  return repository_.database->read(
      [&](db::Transaction& t) -> base::Outcome<std::optional<Content>> {
        const auto rows =
            t.query(fmt::format("select sha256, size, whole from {} where id = :a",
                                kTables.at(static_cast<std::size_t>(record % 3))),
                    {record / 3});
        if (rows.empty()) return std::nullopt;
        const auto& row = rows.front();
        return Content{row.text(0), static_cast<std::uint64_t>(row.integer(1)),
                       row.integer(2) == 0};
      });
}

base::Outcome<std::size_t> Verifier::start(const VerifyRequest& request) {
  auto wanted = contents(request);
  if (!wanted) return base::refuse(wanted.error());
  const auto count = wanted->records.size();
  if (count == 0) return count;
  const base::Lock lock(mutex_);
  if (progress_.running || stopping_) {
    return base::refuse(Kind::kBusy,
                        "the stored bytes are being verified already; follow it with "
                        "'vantro verify --follow'");
  }
  if (thread_.joinable()) thread_.join();
  progress_ = {};
  progress_.running = true;
  progress_.began_at = repository_.clock.wall();
  progress_.contents = count;
  progress_.bytes = wanted->bytes;
  thread_ = std::thread([this, list = std::move(wanted->records), request]() mutable {
    try {
      run(std::move(list), request);
    } catch (const std::exception& error) {
      const base::Lock guard(mutex_);
      progress_.running = false;
      progress_.trouble = error.what();
    }
  });
  return count;
}

void Verifier::run(std::vector<Record> contents, const VerifyRequest& request) {
  rate_ = request.bytes_per_second;
  go_on_ = request.go_on;
  pace_ = std::chrono::steady_clock::now();
  unreadable_why_.clear();
  std::vector<Record> again;
  auto trouble = read_all(contents, again);
  // Descriptors may be short for a moment only.
  for (int turn = 0; turn < kMoreTurns && trouble.empty() && !again.empty(); ++turn) {
    if (!wait(kTurnPause)) {
      trouble = kStoppedEarly;
      break;
    }
    std::vector<Record> rest;
    trouble = read_all(again, rest);
    again = std::move(rest);
  }
  if (trouble.empty() && !again.empty()) {
    trouble =
        fmt::format("{} stored {} could not be read; the server tries again: {}",
                    again.size(), again.size() == 1 ? "file" : "files", unreadable_why_);
  }
  VerifyProgress done;
  {
    const base::Lock lock(mutex_);
    progress_.unreadable = again.size();
    done = progress_;
  }
  repository_.record_event(
      "verify", request.by,
      fmt::format("{} of {} stored files read, {}; {} damaged{}{}{}", done.contents_read,
                  done.contents, base::size_text(done.bytes_read), done.damaged,
                  done.locked == 0
                      ? ""
                      : fmt::format("; {} encrypted with missing keys", done.locked),
                  trouble.empty() ? "" : "; ", trouble));
  const base::Lock lock(mutex_);
  progress_.running = false;
  progress_.ended_at = repository_.clock.wall();
  progress_.trouble = trouble;
}

std::string Verifier::read_all(const std::vector<Record>& contents,
                               std::vector<Record>& again) {
  for (const auto record : contents) {
    const auto content = content_of(record);
    if (!content) return content.error().sentence;
    if (!*content) {
      const base::Lock lock(mutex_);
      --progress_.contents;
      continue;
    }
    const auto& sha256 = (*content)->sha256;
    const auto result =
        repository::verify_content(repository_, sha256, (*content)->size,
                                   (*content)->lost_before, [&](std::uint64_t bytes) {
                                     {
                                       const base::Lock lock(mutex_);
                                       progress_.bytes_read += bytes;
                                     }
                                     return keep_pace(bytes);
                                   });
    if (!result.noted) return result.noted.error().sentence;
    const base::Lock lock(mutex_);
    switch (result.reading) {
      case repository::Reading::kWhole:
      case repository::Reading::kReplaced:
        ++progress_.contents_read;
        break;
      case repository::Reading::kLost:
        ++progress_.contents_read;
        ++progress_.damaged;
        if (progress_.damages.size() < kMostDamagesListed) {
          progress_.damages.push_back(
              {sha256, repository_.contents.names_of(sha256), result.sentence});
        }
        break;
      case repository::Reading::kLocked:
        ++progress_.locked;
        break;
      case repository::Reading::kUnreadable:
        unreadable_why_ = result.sentence;
        again.push_back(record);
        progress_.unreadable = again.size();
        break;
      case repository::Reading::kStopped:
        return kStoppedEarly;
    }
  }
  return "";
}

bool Verifier::wait(std::chrono::milliseconds time) {
  base::Lock lock(mutex_);
  const auto until = std::chrono::steady_clock::now() + time;
  while (!stopping_ && stopped_.wait_until(lock, until)) {
  }
  return !stopping_;
}

bool Verifier::keep_pace(std::uint64_t bytes) {
  if (go_on_ && !go_on_()) return false;
  base::Lock lock(mutex_);
  if (rate_ == 0) return !stopping_;
  const std::chrono::duration<double> cost(static_cast<double>(bytes) /
                                           static_cast<double>(rate_));
  pace_ += std::chrono::duration_cast<base::Duration>(cost);
  while (!stopping_ && stopped_.wait_until(lock, pace_)) {
  }
  return !stopping_;
}

}  // namespace vantro::upkeep
