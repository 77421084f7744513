// Bytes that uploads under way have announced and not yet sent: disk space that is
// reserved, though it still looks free.
#pragma once

#include <algorithm>
#include <atomic>
#include <cstdint>
#include <memory>
#include <utility>

namespace vantro::store {

// Of one upload; its remaining bytes are released on destruction. `all` is the sum over
// all uploads.
class ExpectedBytes {
 public:
  using All = std::shared_ptr<std::atomic<std::uint64_t>>;

  ExpectedBytes() = default;
  ExpectedBytes(All all, std::uint64_t bytes) : all_(std::move(all)), left_(bytes) {
    *all_ += left_;
  }
  ExpectedBytes(ExpectedBytes&& other) noexcept
      : all_(std::move(other.all_)), left_(std::exchange(other.left_, 0)) {}
  ExpectedBytes& operator=(ExpectedBytes&&) = delete;
  ~ExpectedBytes() { came(left_); }

  // So many of them are on the disk now.
  void came(std::uint64_t bytes) {
    const auto less = std::min(bytes, left_);
    if (less == 0) return;
    left_ -= less;
    *all_ -= less;
  }

 private:
  All all_;
  std::uint64_t left_ = 0;
};

}  // namespace vantro::store
