#include "upkeep/vault_comparison.h"

#include <cstdint>
#include <fmt/format.h>
#include <map>
#include <set>
#include <shared_mutex>

namespace vantro::upkeep {
namespace {

// So many lost files are named in the log; the others are counted.
constexpr std::size_t kMostNamed = 100;
constexpr int kShelves = 256;

}  // namespace

VaultComparison::~VaultComparison() {
  stopping_ = true;
  if (thread_.joinable()) thread_.join();
}

void VaultComparison::start() {
  thread_ = std::thread([this] {
    try {
      if (const auto done = run(); !done) {
        log_.error("the vault was not compared with the database",
                   {{"why", done.error().sentence}});
      }
    } catch (const std::exception& error) {
      log_.error("the vault was not compared with the database", {{"why", error.what()}});
    }
  });
}

base::Outcome<VaultFindings> VaultComparison::run() {
  VaultFindings findings;
  for (int shelf = 0; shelf < kShelves && !stopping_; ++shelf) {
    if (auto done = compare_shelf(fmt::format("{:02x}", shelf), findings); !done) {
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
base::Outcome<void> VaultComparison::compare_shelf(const std::string& shelf,
                                                   VaultFindings& findings) {
  // Nobody files or removes bytes meanwhile: a file that is filed has no record for a
  // moment.
  const std::unique_lock vault(repository_.vault_mutex);
  const auto files = repository_.folder.list_vault(shelf);
  if (!files) return base::refuse(files.error());
  std::map<std::string, std::uint64_t> stored;
  std::set<std::string> sealed;
  for (const auto& file : *files) {
    if (file.sealed) {
      sealed.insert(file.name);
    } else {
      stored.emplace(file.name, file.size);
    }
  }
  std::map<std::string, std::uint64_t> recorded;
  for (const auto& contents :
       {repository_.catalog.contents(shelf), repository_.backups.contents(shelf)}) {
    if (!contents) return base::refuse(contents.error());
    recorded.insert(contents->begin(), contents->end());
  }
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
  for (const auto& file : *files) {
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
