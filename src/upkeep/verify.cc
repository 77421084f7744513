#include "upkeep/verify.h"

#include <algorithm>
#include <cerrno>
#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "crypto/digests.h"

namespace vantro::upkeep {
namespace {

using base::Kind;

constexpr std::size_t kPiece = 1 << 20;

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
base::Outcome<std::vector<Verifier::Content>> Verifier::contents(
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
      [&](db::Transaction& t) -> base::Outcome<std::vector<Content>> {
        std::vector<Content> result;
        for (const auto& row :
             t.query("select sha256, size, max(read_at) from ("
                     "select sha256, size, read_at from images where whole = 1 union all "
                     "select sha256, size, read_at from revisions where complete = 1 and "
                     "whole = 1 union all "
                     "select sha256, size, added_at from documents where whole = 1) "
                     "where (:a = '' or sha256 = :b) group by sha256, size "
                     "having max(read_at) <= :c order by 3, 1",
                     {only, only, before})) {
          result.push_back({row.text(0), static_cast<std::uint64_t>(row.integer(1))});
        }
        return result;
      });
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
  thread_ = std::thread(
      [this, list = std::move(*wanted), rate = request.bytes_per_second,
       who = request.who]() mutable { run(std::move(list), rate, std::move(who)); });
  return count;
}

void Verifier::run(std::vector<Content> contents, std::uint64_t bytes_per_second,
                   std::string who) {
  rate_ = bytes_per_second;
  pace_ = std::chrono::steady_clock::now();
  std::string trouble;
  std::size_t damaged = 0;
  for (const auto& content : contents) {
    const auto found = read(content);
    if (unreadable_) {
      // It is no damage that its key is not here.
      const std::lock_guard lock(mutex_);
      ++progress_.locked;
      continue;
    }
    if (!found) {
      trouble = "stopped before its end";
      break;
    }
    const auto noted = gate_.content_read(content.sha256, found->empty(), *found);
    if (!noted) {
      trouble = noted.error().sentence;
      break;
    }
    const std::lock_guard lock(mutex_);
    ++progress_.contents_read;
    if (found->empty()) continue;
    ++damaged;
    progress_.damages.push_back({content.sha256, gate_.names_of(content.sha256), *found});
  }
  VerifyProgress done;
  {
    const std::lock_guard lock(mutex_);
    done = progress_;
  }
  gate_.record_event(
      "verify", who,
      fmt::format(
          "{} of {} stored files read, {}; {} damaged{}{}{}", done.contents_read,
          done.contents, base::size_text(done.bytes_read), damaged,
          done.locked == 0
              ? ""
              : fmt::format("; {} encrypted with keys that are not here", done.locked),
          trouble.empty() ? "" : "; ", trouble));
  const std::lock_guard lock(mutex_);
  progress_.running = false;
  progress_.ended_at = gate_.clock().wall();
  progress_.trouble = trouble;
}

std::optional<std::string> Verifier::read(const Content& content) {
  const auto& folder = gate_.repository().folder;
  folder.forget_in_memory(content.sha256);
  const auto file = folder.open_stored(content.sha256, content.size);
  unreadable_ = !file && file.error().kind == Kind::kDenied;
  if (!file) return file.error().sentence;
  ::posix_fadvise(file->get(), 0, 0, POSIX_FADV_SEQUENTIAL);
  crypto::Digester digester;
  base::ByteBuffer piece(kPiece);
  while (true) {
    const auto got = ::read(file->get(), piece.data(), piece.size());
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) {
      return base::system_refusal(errno, "the disk can't read it").sentence;
    }
    if (got == 0) break;
    digester.update({piece.data(), static_cast<std::size_t>(got)});
    {
      const std::lock_guard lock(mutex_);
      progress_.bytes_read += static_cast<std::uint64_t>(got);
    }
    if (!keep_pace(static_cast<std::uint64_t>(got))) return std::nullopt;
  }
  if (digester.finish().sha256 != content.sha256) {
    return "its bytes no longer match their SHA-256; what is there is in quarantine/";
  }
  return "";
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
