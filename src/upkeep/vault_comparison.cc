#include "upkeep/vault_comparison.h"

#include <algorithm>
#include <chrono>
#include <fmt/format.h>
#include <iterator>
#include <optional>
#include <shared_mutex>
#include <sys/stat.h>
#include <thread>
#include <utility>

namespace vantro::upkeep {
namespace {

// So many lost files are named in the log; the others are counted.
constexpr std::size_t kMostNamed = 100;
constexpr int kShelves = 256;
constexpr std::chrono::milliseconds kDatabasePause{500};
// By then another node has recorded what it moved into the vault, or has failed.
constexpr std::chrono::seconds kFiled{30};

}  // namespace

void VaultFindings::add(VaultFindings more) {
  unrecorded += more.unrecorded;
  std::move(more.missing.begin(), more.missing.end(), std::back_inserter(missing));
  std::move(more.damaged.begin(), more.damaged.end(), std::back_inserter(damaged));
}

VaultComparison::~VaultComparison() {
  stopping_ = true;
  if (thread_.joinable()) thread_.join();
}

void VaultComparison::start() {
  const auto failed = [this](const std::string& why) {
    const auto sentence = fmt::format(
        "the vault was not compared with the database: {}; restart vantrod to try again",
        why);
    log_.error(sentence);
    repository_.troubles.set("vault-comparison", {sentence});
  };
  thread_ = std::thread([this, failed] {
    try {
      if (const auto done = run(); !done) failed(done.error().sentence);
    } catch (const std::exception& error) {
      failed(error.what());
    }
  });
}

base::Outcome<VaultFindings> VaultComparison::run() {
  VaultFindings findings;
  for (int shelf = 0; shelf < kShelves && !stopping_;) {
    VaultFindings found;
    const auto done = compare_shelf(fmt::format("{:02x}", shelf), found);
    if (done) {
      findings.add(std::move(found));
      ++shelf;
    } else if (repository_.database->shared() && done.error().kind == base::Kind::kBusy) {
      // It does not answer. This shelf again, when it is back.
      std::this_thread::sleep_for(kDatabasePause);
    } else {
      return base::refuse(done.error());
    }
  }
  if (auto settled = settle_doubts(findings); !settled)
    return base::refuse(settled.error());
  if (findings.missing.size() > kMostNamed) {
    log_.error("more recorded files are missing from vault/",
               {{"files", findings.missing.size() - kMostNamed}});
  }
  if (auto sentence = repository_.unrecorded.sentence()) log_.warning(*sentence);
  return findings;
}

// A million files need no more memory than those of a shelf, some thousand.
base::Outcome<VaultComparison::Shelf> VaultComparison::read_shelf(
    const std::string& digits) const {
  auto files = repository_.folder.list_vault(digits);
  if (!files) return base::refuse(files.error());
  Shelf shelf;
  shelf.files = std::move(*files);
  for (const auto& file : shelf.files) {
    if (file.sealed) {
      shelf.sealed.insert(file.name);
    } else {
      shelf.stored.emplace(file.name, file.size);
    }
  }
  for (const auto& contents :
       {repository_.catalog.contents(digits), repository_.backups.contents(digits)}) {
    if (!contents) return base::refuse(contents.error());
    shelf.recorded.insert(contents->begin(), contents->end());
  }
  return shelf;
}

// Encrypted ones are in two forms for a moment; their content is checked when it is read.
bool VaultComparison::Shelf::in_order() const {
  const auto is_recorded = [&](const auto& file) { return recorded.contains(file.name); };
  const auto is_stored = [&](const auto& one) {
    const auto found = stored.find(one.first);
    return found == stored.end() ? sealed.contains(one.first)
                                 : found->second == one.second;
  };
  return std::all_of(files.begin(), files.end(), is_recorded) &&
         std::all_of(recorded.begin(), recorded.end(), is_stored);
}

base::Outcome<void> VaultComparison::compare_shelf(const std::string& digits,
                                                   VaultFindings& findings) {
  // First beside the others: uploads must not wait while a healthy vault is read.
  const auto first_look = read_shelf(digits);
  if (!first_look) return base::refuse(first_look.error());
  if (first_look->in_order()) return {};
  // Then nobody files or removes bytes: a file that is filed has no record for a moment.
  const std::unique_lock vault(repository_.vault_mutex);
  const auto shelf = read_shelf(digits);
  if (!shelf) return base::refuse(shelf.error());
  const auto& [files, stored, sealed, recorded] = *shelf;
  for (const auto& [sha256, size] : recorded) {
    const auto found = stored.find(sha256);
    // The content of an encrypted one is checked when it is read.
    if (found == stored.end() ? sealed.contains(sha256) : found->second == size) continue;
    if (auto done = note_lost(sha256, size, findings); !done) return done;
  }
  std::vector<repository::UnrecordedFile> unrecorded;
  for (const auto& file : files) {
    if (!recorded.contains(file.name)) unrecorded.push_back({false, file});
  }
  if (!repository_.folder.node().empty()) {
    std::move(unrecorded.begin(), unrecorded.end(), std::back_inserter(in_doubt_));
  } else {
    findings.unrecorded += unrecorded.size();
    repository_.unrecorded.add(std::move(unrecorded));
  }
  return {};
}

// Until it is added again; verifying would find the same.
base::Outcome<void> VaultComparison::note_lost(const std::string& sha256,
                                               std::uint64_t size,
                                               VaultFindings& findings) {
  std::optional<std::uint64_t> found;  // its size; nothing: it is missing
  bool lost = false;
  bool moved = false;
  auto noted =
      repository_.database->write([&](db::Transaction& t) -> base::Outcome<void> {
        // Once more as the only writer: another node may have filed or removed it
        // meanwhile.
        const auto handle = repository_.folder.open_as_it_lies(sha256);
        if (!handle && handle.error().kind != base::Kind::kCorrupt) {
          return base::refuse(handle.error());
        }
        struct stat there {};
        if (!moved) {
          found.reset();
          if (handle && ::fstat(handle->file.get(), &there) == 0) {
            found = static_cast<std::uint64_t>(there.st_size);
          }
          // Sizes only: reading all bytes takes hours. Verifying does that.
          lost = (!found || (*found != size && !handle->sealed)) &&
                 repository::Contents::is_recorded(t, sha256);
        }
        if (!lost) return {};
        repository::Contents::mark(t, sha256, false, repository_.clock.wall());
        if (!found || moved) return {};
        moved = true;
        return repository_.folder.to_quarantine(sha256);
      });
  if (!noted || !lost) return noted;
  if (found) {
    findings.damaged.push_back(sha256);
    log_.error("a file in vault/ has the wrong size and was moved to quarantine/",
               {{"sha256", sha256}, {"bytes", *found}, {"recorded", size}});
    return {};
  }
  findings.missing.push_back(sha256);
  if (findings.missing.size() > kMostNamed) return {};
  log_.error("a recorded file is missing from vault/",
             {{"sha256", sha256}, {"bytes", size}});
  return {};
}

base::Outcome<void> VaultComparison::settle_doubts(VaultFindings& findings) {
  if (in_doubt_.empty()) return {};
  const auto until = repository_.clock.now() + kFiled;
  while (!stopping_ && repository_.clock.now() < until) {
    std::this_thread::sleep_for(kDatabasePause);
  }
  using Files = std::vector<repository::UnrecordedFile>;
  auto still =
      repository_.database->read([&](db::Transaction& t) -> base::Outcome<Files> {
        Files rest;
        for (const auto& one : in_doubt_) {
          if (repository::Contents::is_recorded(t, one.file.name)) continue;
          if (repository_.folder.open_as_it_lies(one.file.name)) rest.push_back(one);
        }
        return rest;
      });
  if (!still) return base::refuse(still.error());
  findings.unrecorded += still->size();
  repository_.unrecorded.add(std::move(*still));
  return {};
}

}  // namespace vantro::upkeep
