// Room on the disk that is kept for what people change: a file of blocks that nothing
// else can take. When the disk is full and a change needs room, the file is given up.
// Until it could be made again, uploads are refused, so that they don't take the room.
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

  // Makes the file if it is not there and the disk has room for it and as much again.
  void keep(std::uint64_t free_bytes);
  // True: it was there, and its room is free now.
  bool give_up();
  // kFull if it was given up: for whoever must not take its room.
  base::Outcome<void> check() const;
  // It was given up, and is not there again yet.
  bool given_up() const { return given_up_; }

 private:
  const std::string path_;
  base::Mutex mutex_;
  std::atomic<bool> given_up_ = false;
};

}  // namespace vantro::store
