// Disk space reserved for people's changes: a file of blocks that nothing else can take.
// When the disk is full and a change needs space, the file is removed. Until it exists
// again, uploads are refused, so that they do not take the space.
//
// A disk that is too small for it has none, and is full for everybody at once.
#pragma once

#include <atomic>
#include <cstdint>
#include <string>

#include "base/mutex.h"
#include "base/outcome.h"

namespace vantro::store {

// Thread-safe.
class Reserve {
 public:
  static constexpr std::uint64_t kBytes = 16 << 20;

  explicit Reserve(std::string path) : path_(std::move(path)) {}

  // Makes the file if it is missing and the disk has space for it and as much again.
  void keep(std::uint64_t free_bytes);
  // True: it existed, and its space is free now.
  bool give_up();
  // kFull if it was removed: for callers that must not take its space.
  base::Outcome<void> check() const;
  // It was removed, and does not exist again yet.
  bool given_up() const { return given_up_; }

 private:
  const std::string path_;
  base::Mutex mutex_;
  std::atomic<bool> given_up_ = false;
};

}  // namespace vantro::store
