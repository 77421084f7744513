#include "upkeep/verify.h"

#include <algorithm>
#include <cerrno>
#include <exception>
#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "crypto/digests.h"
#include "store/sealed_file.h"

namespace vantro::upkeep {
namespace {

using base::Kind;

constexpr const char* kStoppedEarly = "stopped before its end";
// What could not be read is tried so often once more, after a pause.
constexpr int kMoreTurns = 3;
constexpr std::chrono::seconds kTurnPause{2};

}  // namespace

Verifier::~Verifier() { stop(); }

void Verifier::stop() {
  {
    const std::lock_guard lock(mutex_);
    stopping_ = true;
  }
  stopped_.notify_all();
  if (thread_.joinable()) thread_.join();
}

VerifyProgress Verifier::progress() const {
  const std::lock_guard lock(mutex_);
  return progress_;
}

// What was read longest ago comes first: a run that is stopped was not for nothing.
base::Outcome<std::vector<Verifier::Listed>> Verifier::contents(
    const VerifyRequest& request) const {
  std::string only;
  if (request.image) {
    const auto name = base::visible_name(*request.image);
    if (!name) return base::refuse(name.error());
    const auto image = gate_.repository().catalog.find(*name);
    if (!image) return base::refuse(image.error());
    only = image->digests.sha256;
  }
  const auto before =
      gate_.clock().wall() - std::chrono::milliseconds(request.unread_for).count();
  return gate_.repository().database->read(
      [&](db::Transaction& t) -> base::Outcome<std::vector<Listed>> {
        std::vector<Listed> result;
        t.each(
            // What is damaged or gone, too: somebody may have put it back.
            "select sha256, size, max(read_at), min(whole) from ("
            "select sha256, size, read_at, whole from images union all "
            "select sha256, size, read_at, whole from revisions where "
            "complete = 1 union all "
            "select sha256, size, added_at, whole from documents) "
            "where (:a = '' or sha256 = :b) group by sha256, size "
            "having max(read_at) <= :c or min(whole) = 0 order by 3, 1",
            {only, only, before}, [&](const db::Row& row) {
              const auto bytes = base::from_hex(row.text(0));
              Listed one{};
              if (!bytes || bytes->size() != one.sha256.size()) return;
              std::copy(bytes->begin(), bytes->end(), one.sha256.begin());
              one.size = static_cast<std::uint64_t>(row.integer(1)) & (UINT64_MAX >> 1);
              one.lost_before = row.integer(3) == 0 ? 1 : 0;
              result.push_back(one);
            });
        return result;
      });
}

Verifier::Content Verifier::Listed::content() const {
  return {base::to_hex(sha256), size, lost_before != 0};
}

base::Outcome<std::size_t> Verifier::start(const VerifyRequest& request) {
  auto wanted = contents(request);
  if (!wanted) return base::refuse(wanted.error());
  const auto count = wanted->size();
  if (count == 0) return count;
  const std::lock_guard lock(mutex_);
  if (progress_.running || stopping_) {
    return base::refuse(Kind::kBusy,
                        "the stored bytes are being verified already; follow it with "
                        "'vantro verify --follow'");
  }
  if (thread_.joinable()) thread_.join();
  progress_ = {};
  progress_.running = true;
  progress_.began_at = gate_.clock().wall();
  progress_.contents = wanted->size();
  for (const auto& one : *wanted) progress_.bytes += one.size;
  thread_ = std::thread([this, list = std::move(*wanted), rate = request.bytes_per_second,
                         who = request.who]() mutable {
    try {
      run(std::move(list), rate, std::move(who));
    } catch (const std::exception& error) {
      const std::lock_guard guard(mutex_);
      progress_.running = false;
      progress_.trouble = error.what();
    }
  });
  return count;
}

void Verifier::run(std::vector<Listed> contents, std::uint64_t bytes_per_second,
                   std::string who) {
  rate_ = bytes_per_second;
  pace_ = std::chrono::steady_clock::now();
  unreadable_why_.clear();
  std::vector<Listed> again;
  auto trouble = read_all(contents, again);
  // Descriptors may be short for a moment only.
  for (int turn = 0; turn < kMoreTurns && trouble.empty() && !again.empty(); ++turn) {
    if (!wait(kTurnPause)) {
      trouble = kStoppedEarly;
      break;
    }
    std::vector<Listed> rest;
    trouble = read_all(again, rest);
    again = std::move(rest);
  }
  if (trouble.empty() && !again.empty()) {
    trouble =
        fmt::format("{} stored {} could not be read and will be tried again: {}",
                    again.size(), again.size() == 1 ? "file" : "files", unreadable_why_);
  }
  VerifyProgress done;
  {
    const std::lock_guard lock(mutex_);
    progress_.unreadable = again.size();
    done = progress_;
  }
  gate_.record_event(
      "verify", who,
      fmt::format(
          "{} of {} stored files read, {}; {} damaged{}{}{}", done.contents_read,
          done.contents, base::size_text(done.bytes_read), done.damages.size(),
          done.locked == 0
              ? ""
              : fmt::format("; {} encrypted with keys that are not here", done.locked),
          trouble.empty() ? "" : "; ", trouble));
  const std::lock_guard lock(mutex_);
  progress_.running = false;
  progress_.ended_at = gate_.clock().wall();
  progress_.trouble = trouble;
}

std::string Verifier::read_all(const std::vector<Listed>& contents,
                               std::vector<Listed>& again) {
  for (const auto& listed : contents) {
    const auto content = listed.content();
    const auto result = judge(content);
    if (!result) return result.error().sentence;
    const std::lock_guard lock(mutex_);
    switch (result->reading) {
      case Reading::kWhole:
      case Reading::kReplaced:
        ++progress_.contents_read;
        break;
      case Reading::kLost:
        ++progress_.contents_read;
        progress_.damages.push_back(
            {content.sha256, gate_.names_of(content.sha256), result->sentence});
        break;
      case Reading::kLocked:
        ++progress_.locked;
        break;
      case Reading::kUnreadable:
        unreadable_why_ = result->sentence;
        again.push_back(listed);
        break;
      case Reading::kStopped:
        return kStoppedEarly;
    }
  }
  return "";
}

base::Outcome<Verifier::Result> Verifier::judge(const Content& content) {
  auto opened = gate_.repository().folder.open_as_it_lies(content.sha256);
  store::StoredHandle handle;
  Result result;
  if (opened) {
    handle = std::move(*opened);
    result = read(content, handle);
  } else if (opened.error().kind == Kind::kCorrupt) {
    result = {Reading::kLost, opened.error().sentence};
  } else {
    result = {Reading::kUnreadable, opened.error().sentence};
  }
  if (result.reading == Reading::kWhole) {
    if (auto noted = gate_.content_whole(content.sha256); !noted) {
      return base::refuse(noted.error());
    }
  } else if (result.reading == Reading::kLost) {
    if (!handle.file && content.lost_before) {
      // Nothing new: it is said of it already.
      result.reading = Reading::kReplaced;
      return result;
    }
    auto lost = gate_.content_lost(content.sha256, handle, result.sentence);
    if (!lost) return base::refuse(lost.error());
    if (!*lost) result.reading = Reading::kReplaced;
  }
  return result;
}

Verifier::Result Verifier::read(const Content& content,
                                const store::StoredHandle& handle) {
  const int file = handle.file.get();
  // From the disk: what is in memory may have been right all the time. Only advice, which
  // the kernel need not take.
  ::posix_fadvise(file, 0, 0, POSIX_FADV_DONTNEED);
  ::posix_fadvise(file, 0, 0, POSIX_FADV_SEQUENTIAL);
  crypto::Digester digester;
  std::uint64_t size = 0;
  bool stopped = false;
  const auto done =
      store::read_plain(file, handle.sealed ? gate_.repository().folder.keys() : nullptr,
                        false, [&](base::ByteView bytes) -> base::Outcome<void> {
                          digester.update(bytes);
                          size += bytes.size();
                          {
                            const std::lock_guard lock(mutex_);
                            progress_.bytes_read += bytes.size();
                          }
                          stopped = !keep_pace(bytes.size());
                          if (stopped) return base::refuse(Kind::kBusy, kStoppedEarly);
                          return {};
                        });
  if (stopped) return {Reading::kStopped, ""};
  if (!done && done.error().kind == Kind::kDenied) return {Reading::kLocked, ""};
  if (!done && done.error().kind != Kind::kCorrupt) {
    return {Reading::kUnreadable, done.error().sentence};
  }
  if (done && size == content.size && digester.finish().sha256 == content.sha256) {
    return {};
  }
  if (done && size != content.size) {
    return {Reading::kLost,
            fmt::format("it has {} bytes instead of {}; what is there is in quarantine/",
                        size, content.size)};
  }
  return {Reading::kLost,
          "its bytes no longer match their SHA-256; what is there is in quarantine/"};
}

bool Verifier::wait(std::chrono::milliseconds time) {
  std::unique_lock lock(mutex_);
  return !stopped_.wait_for(lock, time, [this] { return stopping_; });
}

bool Verifier::keep_pace(std::uint64_t bytes) {
  std::unique_lock lock(mutex_);
  if (rate_ == 0) return !stopping_;
  const std::chrono::duration<double> cost(static_cast<double>(bytes) /
                                           static_cast<double>(rate_));
  pace_ += std::chrono::duration_cast<base::Duration>(cost);
  stopped_.wait_until(lock, pace_, [&] { return stopping_; });
  return !stopping_;
}

}  // namespace vantro::upkeep
