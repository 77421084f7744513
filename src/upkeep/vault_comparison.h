// Compares the vault with the database after a start, one shelf after the other, while
// the server answers already: with a million files it takes seconds. What it finds
// before, a request finds as well: a file that is missing or has another size is not
// sent.
#pragma once

#include <atomic>
#include <cstddef>
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
  base::Outcome<void> compare_shelf(const std::string& shelf, VaultFindings& findings);

  repository::Repository& repository_;
  base::Log log_;
  std::atomic<bool> stopping_ = false;
  std::thread thread_;
};

}  // namespace vantro::upkeep
