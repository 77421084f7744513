// What the person at the rack sees of a rescue session: one stage after the other in
// large plain words, and the lines that led there. A pure machine: observations go in
// with their time; no clock, no database.
//
//   waiting -> address -> loading -> loaded -> writing -> back
//                 ^          |          |
//                 |    interrupted   the second stage asks: loading again
//                 +--- a device that begins again
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "base/clock.h"
#include "jobs/rescue/profile.h"
#include "jobs/rescue/session.h"

namespace vantro::jobs::rescue {

enum class StageKind {
  kWaiting,  // no sign of the device yet
  kAddress,  // it asked for an address, or has got one
  kRefused,  // it was refused
  kLoading,
  kInterrupted,  // a transfer was interrupted
  kLoaded,       // the last block was acknowledged
  kWriting,      // silent, as it writes the image
  kBack,         // it answers again
  kClosed,
};
// "waiting", "address", ... : the word of Event::what as well
const char* word(StageKind kind);

struct Stage {
  StageKind kind = StageKind::kWaiting;
  std::string large;  // readable from the rack: "LOADING 34 %"
  std::string small;  // the subject, and what to do
  std::optional<unsigned> percent;
  base::WallTime since = 0;
  // How often a stage has begun that people should hear.
  std::int64_t bells = 0;
};

// A transfer while it runs, and at its end.
struct Load {
  std::uint64_t id = 0;
  std::string name;
  std::uint64_t bytes = 0;
  std::optional<std::uint64_t> total;
  double rate = 0;  // bytes per second
  enum class State { kRunning, kComplete, kInterrupted } state = State::kRunning;
  bool pushed = false;
  bool listens = true;  // pushed: the device accepts it; else it is still asked
  std::string why;      // interrupted
  base::WallTime began_at = 0;
  std::int64_t took_ms = 0;
};

class Story {
 public:
  // After the last block people have so long to read what to do, before the stage shows
  // the silence.
  static constexpr std::int64_t kLoadedFor = 8000;  // ms
  static constexpr std::size_t kMostLines = 500;
  // How many transfers are remembered, so that each is told once.
  static constexpr std::size_t kMostLoads = 4096;

  Story(Profile profile, Session session);

  // Events of the address server. `got`: the device has its address now.
  void asked_for_address(const std::string& sentence, base::WallTime now);
  void got_address(const std::string& sentence, const base::Address& address,
                   base::WallTime now);
  // A device that gets nothing, and why; also another address server on the network.
  void refused(const std::string& sentence, base::WallTime now);
  void told(const std::string& sentence, base::WallTime now);
  void load(const Load& load, base::WallTime now);
  // Whether the device answers at profile.afterwards.
  void answers(bool it_does, base::WallTime now);
  void closed(const std::string& why, base::WallTime now);

  Stage stage(base::WallTime now) const;
  const std::vector<Event>& lines() const { return lines_; }
  // Lines since the last call, for the record.
  std::vector<Event> take_new();
  // The result, in lines: for the end.
  std::string summary() const;
  // Everything was loaded, and the device has been silent since: ask whether it is back.
  bool awaits_return() const;

 private:
  void enter(StageKind kind, std::string large, std::string small, base::WallTime now,
             bool bell);
  void line(const std::string& what, const std::string& sentence, base::WallTime now);
  void begins(const Load& load, base::WallTime now);
  void ends(const Load& load, base::WallTime now);
  // Of profile.files, or null.
  const File* file(const std::string& name) const;
  bool is_last(const std::string& name) const;

  const Profile profile_;
  const Session session_;
  Stage stage_;
  std::vector<Event> lines_;
  std::size_t kept_ = 0;  // of lines_, returned by take_new()
  std::map<std::uint64_t, Load> loads_;
  std::uint64_t newest_load_ = 0;
  std::string loaded_;  // the name of the last one
  base::WallTime loaded_at_ = 0;
  std::vector<std::string> all_loaded_;  // for the summary
  std::string device_address_;
  bool was_gone_ = false;  // since the last block: earlier answers do not count
  bool back_ = false;
};

}  // namespace vantro::jobs::rescue
