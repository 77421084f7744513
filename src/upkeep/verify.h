// Verifies stored contents: every byte is read again and compared with its SHA-256, at a
// gentle rate, on a thread of its own.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <thread>
#include <vector>

#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "repository/repository.h"

namespace vantro::upkeep {

struct VerifyRequest {
  std::optional<std::string> image;    // by name; none: everything
  std::chrono::hours unread_for{0};    // only contents that were not read for so long
  std::uint64_t bytes_per_second = 0;  // 0: no limit
  repository::By by = {"server"};
  // Asked often: whether to go on. Empty: until it is done.
  std::function<bool()> go_on = {};
};

// Bytes that did not match.
struct Damage {
  std::string sha256;
  std::string names;
  std::string found;  // the problem
};

struct VerifyProgress {
  bool running = false;
  base::WallTime began_at = 0;  // 0: it has not run since the start
  base::WallTime ended_at = 0;
  std::uint64_t contents = 0, contents_read = 0;
  std::uint64_t locked = 0;  // encrypted with unknown keys
  // Files that could not be read, but not because of their bytes: no descriptors, a
  // failing disk. That is not damage; they are tried again in the same run and in the
  // next one.
  std::uint64_t unreadable = 0;
  std::uint64_t bytes = 0, bytes_read = 0;
  std::uint64_t damaged = 0;
  std::vector<Damage> damages;  // the first thousand of them
  std::string trouble;          // why it stopped early
};

// Thread-safe. The repository must outlive it.
class Verifier {
 public:
  explicit Verifier(repository::Repository& repository) : repository_(repository) {}
  // Stops the running work.
  ~Verifier();
  Verifier(const Verifier&) = delete;
  Verifier& operator=(const Verifier&) = delete;

  // Begins, and returns at once with the number of files to read; with 0 it has not
  // begun. kBusy if it runs already; kNotFound: no such image.
  base::Outcome<std::size_t> start(const VerifyRequest& request);
  VerifyProgress progress() const;
  // Soon; returns when it has ended.
  void stop();

 private:
  // A record of the content. There may be a million of them, so nothing more is kept of
  // each.
  using Record = std::int64_t;
  struct Listed {
    std::vector<Record> records;  // one for each content
    std::uint64_t bytes = 0;      // of all contents
  };

  struct Content {
    std::string sha256;
    std::uint64_t size = 0;
    bool lost_before = false;  // known to be damaged or missing
  };

  base::Outcome<Listed> contents(const VerifyRequest& request) const;
  // Nothing: the record was removed meanwhile.
  base::Outcome<std::optional<Content>> content_of(Record record) const;

  void run(std::vector<Record> contents, const VerifyRequest& request);
  // Reads them all; those that could not be read are in `again`. Why it stopped, or "".
  std::string read_all(const std::vector<Record>& contents, std::vector<Record>& again);
  // False: it was stopped.
  bool keep_pace(std::uint64_t bytes);
  bool wait(std::chrono::milliseconds time);

  repository::Repository& repository_;
  mutable base::Mutex mutex_;
  base::Condition stopped_;
  VerifyProgress progress_ VANTRO_GUARDED_BY(mutex_);
  bool stopping_ VANTRO_GUARDED_BY(mutex_) = false;
  std::thread thread_;
  // Of the thread.
  std::string unreadable_why_;
  std::function<bool()> go_on_;
  std::uint64_t rate_ = 0;
  base::Instant pace_;  // when the next bytes may be read
};

}  // namespace vantro::upkeep
