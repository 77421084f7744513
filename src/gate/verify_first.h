// Contents that were not verified for long are verified before a device gets them: then
// the checksum in a reply is that of the bytes on the disk, and not only of the record.
#pragma once

#include <chrono>
#include <cstdint>
#include <functional>
#include <map>
#include <string>
#include <thread>
#include <vector>

#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"

namespace vantro::gate {

struct Workings;
struct Found;

// Thread-safe. Reads on a thread of its own, one content after the other.
class VerifyFirst {
 public:
  using Then = std::function<void()>;

  // Shorter than devices wait for their first byte.
  static constexpr std::chrono::seconds kPatience{10};

  // `unread_for`: older contents must be verified; zero: none.
  VerifyFirst(Workings& workings, std::chrono::hours unread_for,
              std::chrono::seconds patience = kPatience);
  // Stops. Waiting calls are dropped.
  ~VerifyFirst();
  VerifyFirst(const VerifyFirst&) = delete;
  VerifyFirst& operator=(const VerifyFirst&) = delete;

  void stop();

  // Whether it must be verified before it is handed out. Cheap.
  bool due(const Found& found);
  // Calls `then` on the reading thread, after it was verified or when the patience is
  // over: devices must get an answer before they give up.
  void wait(const Found& found, Then then);
  // Whether it may be handed out now. kBusy: it is being verified, with the progress;
  // kIo: that is not possible.
  base::Outcome<void> allow(const Found& found);

 private:
  using Time = std::chrono::steady_clock::time_point;
  struct Waiter {
    Time until;
    Then then;
  };
  struct Job {
    std::uint64_t size = 0;
    std::uint64_t bytes_read = 0;
    std::vector<Waiter> waiters;
  };
  struct Failure {
    Time at;
    std::string sentence;
  };

  bool is_due(const Found& found) VANTRO_REQUIRES(mutex_);
  Job& job_for(const Found& found) VANTRO_REQUIRES(mutex_);
  void run();
  // "" or why it could not be verified.
  std::string verify(const std::string& sha256, std::uint64_t size);
  bool read_lately(const std::string& sha256);
  // Ends the waits whose time is over.
  std::vector<Then> overdue() VANTRO_REQUIRES(mutex_);
  void tell(const Then& then) const;
  bool piece_read(const std::string& sha256, std::uint64_t bytes);

  Workings& workings_;
  const std::chrono::milliseconds unread_for_;
  const std::chrono::seconds patience_;
  base::Mutex mutex_;
  base::Condition more_;
  bool stopping_ VANTRO_GUARDED_BY(mutex_) = false;
  std::map<std::string, Job> jobs_ VANTRO_GUARDED_BY(mutex_);  // by SHA-256
  // When they were verified, for readers that may know an older time.
  std::map<std::string, base::WallTime> verified_ VANTRO_GUARDED_BY(mutex_);
  std::map<std::string, Failure> failed_ VANTRO_GUARDED_BY(mutex_);
  std::thread thread_;
};

}  // namespace vantro::gate
