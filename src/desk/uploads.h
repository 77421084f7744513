// Images that a person sends in pieces, over as many calls as necessary: a browser's
// connection may break, and 2 GiB over a site's link must not begin again. The checksums
// are computed while the pieces arrive, as for every other upload. In memory and in
// arriving/ only: a restart of the server ends them.
#pragma once

#include <atomic>
#include <chrono>
#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "desk/caller.h"
#include "gate/gate.h"
#include "gate/intake.h"

namespace vantro::desk {

// Thread-safe; the gate must outlive it.
class Uploads {
 public:
  // After this silence an upload is dropped; and so long its result is remembered.
  static constexpr std::chrono::hours kPatience{1};
  // After this silence it is shown as stalled.
  static constexpr std::chrono::seconds kSilence{10};
  static constexpr std::size_t kMost = 32;
  static constexpr std::size_t kMostOfOne = 8;  // of one person

  enum class State { kReceiving, kFiling, kFiled, kRefused };

  struct View {
    std::int64_t number = 0;
    std::string name;
    std::uint64_t bytes = 0;  // received so far
    std::uint64_t size = 0;   // in all
    State state = State::kReceiving;
    std::string why;                 // kRefused
    std::uint64_t looked_bytes = 0;  // kFiling: read by the look inside
  };

  // The result for the whole file.
  struct Filed {
    base::Outcome<gate::Taken> taken;
    std::optional<crypto::Expected> differing;  // the checksum that differs
    std::string actual;                         // the received bytes have this one
  };

  explicit Uploads(gate::Gate& gate, const base::Clock& clock)
      : gate_(gate), clock_(clock) {}

  // `options.size` is required. kBusy: there are too many.
  base::Outcome<View> begin(const Caller& caller, gate::IntakeOptions options);
  // The caller's, the oldest first, with those that ended a moment ago.
  std::vector<View> list(const Caller& caller);
  // Only the caller's; others are unknown. kNotFound.
  base::Outcome<View> find(const Caller& caller, std::int64_t number);
  // Replaces the description from its beginning; name and size stay.
  base::Outcome<View> describe(const Caller& caller, std::int64_t number,
                               gate::IntakeOptions options);
  // The piece at this offset. kInvalid: the offset is not where the last piece ended (the
  // sentence says where), or the piece goes beyond the announced size.
  base::Outcome<View> append(const Caller& caller, std::int64_t number,
                             std::uint64_t offset, base::ByteView piece);
  // Everything was sent: compares it with `sent`, the sender's own checksum (empty:
  // none), and with the claims of the options, looks inside, and files it. Takes as long
  // as the look does. kInvalid: a part is missing. kBusy: it is being filed. After that
  // the same result again, without the members of an archive: the first answer may be
  // lost.
  base::Outcome<Filed> file(const Caller& caller, std::int64_t number,
                            const std::string& sent);
  // Nothing of it stays.
  base::Outcome<void> drop(const Caller& caller, std::int64_t number);
  // Marks silent ones as stalled, and drops those that were silent for too long. Call it
  // every few seconds.
  void tick();

 private:
  struct Upload {
    base::Mutex mutex;  // held while it writes or files
    std::optional<gate::ImageIntake> intake VANTRO_GUARDED_BY(mutex);
    std::string owner;        // constant
    std::int64_t number = 0;  // constant
    std::string name;         // constant
    std::uint64_t size = 0;   // constant
    std::uint64_t bytes VANTRO_GUARDED_BY(mutex) = 0;
    // Written under the mutex, and read without it, as the mutex may wait for the disk.
    std::atomic<State> state = State::kReceiving;
    std::atomic<std::uint64_t> looked_bytes = 0;
    std::string why VANTRO_GUARDED_BY(mutex);
    std::optional<Filed> filed VANTRO_GUARDED_BY(mutex);  // kFiled, kRefused by file()
    base::Instant touched VANTRO_GUARDED_BY(mutex){};
  };
  using Shared = std::shared_ptr<Upload>;

  base::Outcome<Shared> own(const Caller& caller, std::int64_t number);
  static View view(const Upload& one) VANTRO_REQUIRES(one.mutex);
  static base::Outcome<void> receiving(const Upload& one) VANTRO_REQUIRES(one.mutex);

  gate::Gate& gate_;
  const base::Clock& clock_;
  base::Mutex mutex_;
  std::int64_t last_ VANTRO_GUARDED_BY(mutex_) = 0;
  std::map<std::int64_t, Shared> all_ VANTRO_GUARDED_BY(mutex_);
};

const char* word(Uploads::State state);

}  // namespace vantro::desk
