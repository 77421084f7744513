// Compares the vault with the database after a start, one shelf after the other, while
// the server answers already: with a million files it takes seconds. What it finds
// before, a request finds as well: a file that is missing or has another size is not
// sent.
#pragma once

#include <atomic>
#include <cstddef>
#include <cstdint>
#include <map>
#include <set>
#include <string>
#include <thread>
#include <vector>

#include "base/log.h"
#include "base/outcome.h"
#include "repository/repository.h"

namespace vantro::upkeep {

struct VaultFindings {
  std::size_t unrecorded = 0;        // files without a record
  std::vector<std::string> missing;  // SHA-256 of records whose file is missing
  std::vector<std::string>
      damaged;  // of records whose file had another size; quarantined

  void add(VaultFindings more);
  bool clean() const { return unrecorded == 0 && missing.empty() && damaged.empty(); }
};

// Thread-safe. The repository must outlive it.
class VaultComparison {
 public:
  VaultComparison(repository::Repository& repository, base::Log log)
      : repository_(repository), log_(std::move(log)) {}
  // Stops the running comparison.
  ~VaultComparison();
  VaultComparison(const VaultComparison&) = delete;
  VaultComparison& operator=(const VaultComparison&) = delete;

  // Once, on a thread of its own.
  void start();
  // The same on the calling thread. Logs its findings, and marks lost contents.
  base::Outcome<VaultFindings> run();

 private:
  // The files and records whose SHA-256 begins with two digits.
  struct Shelf {
    std::vector<store::StoredFile> files;
    std::map<std::string, std::uint64_t> stored;  // sizes of the plain ones
    std::set<std::string> sealed;                 // encrypted ones
    std::map<std::string, std::uint64_t> recorded;
    bool in_order() const;
  };

  base::Outcome<Shelf> read_shelf(const std::string& digits) const;
  base::Outcome<void> compare_shelf(const std::string& digits, VaultFindings& findings);
  base::Outcome<void> note_lost(const std::string& sha256, std::uint64_t size,
                                VaultFindings& findings);
  base::Outcome<void> settle_doubts(VaultFindings& findings);

  repository::Repository& repository_;
  base::Log log_;
  // Files without a record that another node may be about to record.
  std::vector<repository::UnrecordedFile> in_doubt_;
  std::atomic<bool> stopping_ = false;
  std::thread thread_;
};

}  // namespace vantro::upkeep
