// What a mirror does next: asks headquarters for news, and fetches the contents that it
// lacks, the most urgent first, piece by piece.
//
//   step(event, now, wall) -> actions; deadline() says when to call it without an event
//
// At most one question for news and one action about contents are under way at a time. A
// piece takes about ten seconds, so what becomes more urgent does not wait for long, and
// nothing fetched is lost when the link breaks. No socket, disk or clock of its own.
//
// Not thread-safe.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "base/clock.h"
#include "base/outcome.h"
#include "mirror/chunks.h"
#include "mirror/hours.h"
#include "mirror/source.h"

namespace vantro::mirror {

// From the settings.
struct Pace {
  base::Duration asks_every = std::chrono::seconds(15);
  std::uint64_t rate = 0;  // bytes per second at most; 0: no limit
  Hours hours;
};

// A content that is not here yet.
struct Lacking {
  Wanted wanted;
  std::uint64_t have = 0;  // bytes of it that are on disk
  bool may_share = false;  // an image of the same platform is here
};

// -- Events --

// Headquarters was asked.
struct NewsCame {
  base::Outcome<void> result;
  bool sync = false;  // somebody there wants it to be fetched now, whatever the hour
  // All that is wanted and not here; nothing: as before.
  std::optional<std::vector<Lacking>> lacking;
};
// Which parts of a content must be fetched.
struct Planned {
  std::string sha256;
  base::Outcome<std::vector<Span>> spans;
  bool link_failed = false;
};
// A piece was written after those that were there, or copied.
struct PieceCame {
  std::string sha256;
  base::Outcome<std::uint64_t> have;  // bytes of the content that are on disk now
  std::uint64_t fetched = 0;          // over the link; 0: copied
  base::Duration took{};
  bool link_failed =
      false;  // headquarters was not reached; else this content is at fault
};
struct Filed {
  std::string sha256;
  base::Outcome<void> result;  // kMismatch: it was thrown away
};
// A person wants it to be done now.
struct SyncWanted {};
using Event = std::variant<NewsCame, Planned, PieceCame, Filed, SyncWanted>;

// -- Actions --

struct AskNews {};
struct MakePlan {
  std::string sha256;
};
struct FetchPiece {
  std::string sha256;
  std::uint64_t offset = 0, count = 0;
};
struct CopyPiece {
  std::string sha256;
  std::uint64_t offset = 0, count = 0;
  std::string from;
  std::uint64_t from_offset = 0;
};
struct FileContent {
  std::string sha256;
};
using Action = std::variant<AskNews, MakePlan, FetchPiece, CopyPiece, FileContent>;

class Follower {
 public:
  static constexpr std::uint64_t kLeastPiece = 64 << 10, kMostPiece = 8 << 20;
  // Smaller ones are fetched whole: the list of chunks would be a round trip more.
  static constexpr std::uint64_t kWorthAPlan = 1 << 20;

  // `random`: a number of the caller's, so that mirrors do not ask in step.
  Follower(Pace pace, std::uint64_t random, base::Instant now);

  std::vector<Action> step(base::Instant now, base::WallTime wall);
  std::vector<Action> step(Event event, base::Instant now, base::WallTime wall);
  // When to call step() without an event. Nothing: only after an event.
  std::optional<base::Instant> deadline() const { return deadline_; }

  // When headquarters last answered; nothing: not yet in this program's life.
  std::optional<base::Instant> heard_at() const { return heard_at_; }
  // Why it was not reached the last time; empty: it was.
  const std::string& unreachable() const { return unreachable_; }

  // How long until the content is here, at the rate of late; nothing: not known, as
  // headquarters is not reached, or as nothing was fetched yet.
  std::optional<base::Duration> expected(const std::string& sha256, base::Instant now,
                                         base::WallTime wall) const;
  // Bytes of it that are on disk.
  std::uint64_t have(const std::string& sha256) const;
  std::uint64_t missing_bytes() const;
  std::size_t lacking() const { return contents_.size(); }
  // What lacks, in the order in which it is fetched.
  std::vector<Wanted> in_order() const;
  // Bytes per second, of the last pieces; 0: not known.
  double rate() const;
  bool in_hours(base::WallTime wall) const {
    return syncing_ || pace_.hours.contains(wall);
  }
  // Why a content does not come, by its SHA-256.
  std::map<std::string, std::string> failing() const;

 private:
  struct Content {
    Wanted wanted;
    std::uint64_t have = 0;
    bool may_share = false;
    std::optional<std::vector<Span>> spans;  // after a plan
    int failures = 0;
    base::Instant not_before{};
    std::string why;  // of the last failure
  };
  using Contents = std::map<std::string, Content>;

  void on(NewsCame event, base::Instant now);
  void on(Planned event, base::Instant now);
  void on(PieceCame event, base::Instant now);
  void on(Filed event, base::Instant now);
  void on(SyncWanted event, base::Instant now);

  Contents::const_iterator next_content(base::Instant now) const;
  static bool sooner(const Content& a, const Content& b);
  Action next_piece(const std::string& sha256, const Content& content) const;
  std::uint64_t piece_size() const;
  void link_failed(base::Instant now, const std::string& why);
  void fails(Content& content, base::Instant now, const std::string& why);
  base::Duration pause(int failures, base::Duration longest);

  const Pace pace_;
  std::uint64_t random_;
  Contents contents_;
  bool asking_ = false;
  bool busy_ = false;     // with a content
  bool syncing_ = false;  // until nothing lacks
  base::Instant ask_at_;
  base::Instant fetch_at_{};  // not before, after the link failed
  base::Instant paced_to_{};  // not before: the configured rate is used up until then
  int link_failures_ = 0;
  double rate_ = 0;
  std::optional<base::Instant> heard_at_;
  std::string unreachable_;
  std::optional<base::Instant> deadline_;
};

}  // namespace vantro::mirror
