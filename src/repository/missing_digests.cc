#include "repository/missing_digests.h"

#include <algorithm>
#include <memory>
#include <optional>

#include "repository/repository.h"
#include "repository/verify_content.h"

namespace vantro::repository {
namespace {

using base::Kind;

// As the partial indexes have it, and only what can be read.
const std::string kImagesLacking =
    "from images where (md5 = '' or sha1 = '' or sha512 = '') and whole = 1 ";
const std::string kRevisionsLacking =
    "from revisions where complete = 1 and (md5 is null or sha1 is null or sha512 is "
    "null) and whole = 1 ";

base::Refusal refusal_of(const Verified& verified) {
  switch (verified.reading) {
    case Reading::kLost:
      return {Kind::kCorrupt, verified.sentence};
    case Reading::kLocked:
      return {Kind::kDenied, "it is encrypted with a missing key"};
    case Reading::kUnreadable:
      return {Kind::kIo, verified.sentence};
    case Reading::kReplaced:
      return {Kind::kBusy, "its bytes were replaced while they were read; try again"};
    case Reading::kStopped:
    case Reading::kWhole:
      break;
  }
  return {Kind::kBusy, "the server is being stopped"};
}

}  // namespace

base::Outcome<std::vector<std::string>> MissingDigests::some(std::size_t most) const {
  using All = std::vector<std::string>;
  return repository_.database->read([&](db::Transaction& t) -> base::Outcome<All> {
    All all;
    for (const auto& which : {kImagesLacking, kRevisionsLacking}) {
      for (const auto& row : t.query("select sha256 " + which + "order by id limit :m",
                                     {static_cast<std::int64_t>(most)})) {
        all.push_back(row.text(0));
      }
    }
    return all;
  });
}

base::Outcome<void> MissingDigests::complete(const std::string& sha256) {
  {
    base::Lock lock(mutex_);
    while (computing_.contains(sha256)) done_.wait(lock);
    computing_.insert(sha256);
  }
  const auto over = [&](const std::string* computed) {
    const base::Lock lock(mutex_);
    computing_.erase(*computed);
    done_.notify_all();
  };
  const std::unique_ptr<const std::string, decltype(over)> computing(&sha256, over);
  return compute(sha256);
}

base::Outcome<void> MissingDigests::complete(
    catalog::Image& image, const std::vector<crypto::Expected>& wanted) {
  const bool there = std::all_of(wanted.begin(), wanted.end(), [&](const auto& one) {
    return !crypto::value_of(image.digests, one.algorithm).empty();
  });
  if (there) return {};
  if (auto done = complete(image.digests.sha256); !done) return done;
  const auto now = repository_.catalog.with_content(image.digests.sha256);
  if (!now) return base::refuse(now.error());
  if (*now) image.digests = (*now)->digests;
  return {};
}

// Devices often send an image that the catalogue has.
base::Outcome<crypto::Digests> MissingDigests::known(const std::string& sha256) const {
  return repository_.database->read(
      [&](db::Transaction& t) -> base::Outcome<crypto::Digests> {
        crypto::Digests all;
        if (const auto image = catalog::Catalog::with_content(t, sha256)) {
          all.complete_from(image->digests);
        }
        for (const auto& row : t.query(
                 "select md5, sha1, sha512 from revisions where sha256 = :s and "
                 "complete = 1 and md5 is not null and sha1 is not null and sha512 is "
                 "not null limit 1",
                 {sha256})) {
          all.complete_from({row.text(0), row.text(1), sha256, row.text(2)});
        }
        return all;
      });
}

base::Outcome<void> MissingDigests::compute(const std::string& sha256) {
  // Its size, if it lacks some.
  const auto size = repository_.database->read(
      [&](db::Transaction& t) -> base::Outcome<std::optional<std::uint64_t>> {
        for (const auto& which : {kImagesLacking, kRevisionsLacking}) {
          const auto rows =
              t.query("select size " + which + "and sha256 = :s limit 1", {sha256});
          if (!rows.empty()) return static_cast<std::uint64_t>(rows.front().integer(0));
        }
        return std::nullopt;
      });
  if (!size) return base::refuse(size.error());
  if (!*size) return {};
  auto digests = known(sha256);
  if (!digests) return base::refuse(digests.error());
  if (!digests->complete()) {
    auto read = digest_content(repository_, sha256, **size,
                               [this](std::uint64_t) { return !given_up_; });
    if (read.reading != Reading::kWhole) return base::refuse(refusal_of(read));
    *digests = std::move(read.digests);
  }
  return repository_.database->write([&](db::Transaction& t) -> base::Outcome<void> {
    t.acting("server");
    catalog::Catalog::add_digests(t, *digests);
    backup::Backups::add_digests(t, *digests);
    return {};
  });
}

}  // namespace vantro::repository
