#include "upkeep/vault_comparison.h"

#include <algorithm>
#include <chrono>
#include <fmt/format.h>
#include <iterator>
#include <shared_mutex>
#include <thread>
#include <utility>

namespace vantro::upkeep {
namespace {

// So many lost files are named in the log; the others are counted.
constexpr std::size_t kMostNamed = 100;
constexpr int kShelves = 256;
constexpr std::chrono::milliseconds kDatabasePause{500};

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
  std::vector<std::string> lost;
  for (const auto& [sha256, size] : recorded) {
    const auto found = stored.find(sha256);
    if (found == stored.end()) {
      // The content of an encrypted one is checked when it is read.
      if (sealed.contains(sha256)) continue;
      lost.push_back(sha256);
      findings.missing.push_back(sha256);
      if (findings.missing.size() > kMostNamed) continue;
      log_.error("a recorded file is missing from vault/",
                 {{"sha256", sha256}, {"bytes", size}});
    } else if (found->second != size) {
      // Sizes only: reading all bytes takes hours. Verifying does that.
      lost.push_back(sha256);
      findings.damaged.push_back(sha256);
      log_.error("a file in vault/ has the wrong size and was moved to quarantine/",
                 {{"sha256", sha256}, {"bytes", found->second}, {"recorded", size}});
      if (auto moved = repository_.folder.to_quarantine(sha256); !moved) return moved;
    }
  }
  std::vector<repository::UnrecordedFile> unrecorded;
  for (const auto& file : files) {
    if (!recorded.contains(file.name)) unrecorded.push_back({false, file});
  }
  findings.unrecorded += unrecorded.size();
  repository_.unrecorded.add(std::move(unrecorded));
  if (lost.empty()) return {};
  // Until they are added again; verifying would find the same.
  return repository_.database->write([&](db::Transaction& t) -> base::Outcome<void> {
    for (const auto& sha256 : lost) {
      repository::Contents::mark(t, sha256, false, repository_.clock.wall());
    }
    return {};
  });
}

}  // namespace vantro::upkeep
