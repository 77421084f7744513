// The live view: on a terminal a table that is redrawn in place, elsewhere a line for
// each beginning, each second of progress and each end.
#include <algorithm>
#include <fmt/format.h>
#include <map>

#include "base/clock.h"
#include "base/sizes.h"
#include "client/interrupt.h"
#include "client/render.h"
#include "client/server.h"
#include "client/terminal.h"

namespace vantro::client {
namespace {

constexpr std::chrono::milliseconds kRedraw{200};
constexpr std::chrono::seconds kLineInterval{1};
// As long as the server lists ended transfers.
constexpr std::chrono::seconds kAfterglow{10};

// A transfer as the server last reported it. The server does not report one that only
// stays stalled, or runs unchanged: that time is counted here.
struct Seen {
  api::Transfer transfer;
  base::Instant told_at;

  bool runs() const { return transfer.state == "running"; }
  api::Transfer at(base::Instant now) const {
    auto counted = transfer;
    if (!runs()) return counted;
    const auto since =
        std::chrono::duration_cast<std::chrono::milliseconds>(now - told_at).count();
    counted.duration_ms += since;
    if (counted.stalled_ms) *counted.stalled_ms += since;
    return counted;
  }
};

class Screen {
 public:
  explicit Screen(const Terminal& terminal) : terminal_(terminal) {
    terminal_.control("\x1b[?25l");
  }
  ~Screen() { terminal_.control("\x1b[?25h"); }

  void draw(const std::map<std::uint64_t, Seen>& transfers, base::Instant now) {
    std::vector<api::Transfer> list;
    std::size_t running = 0;
    for (const auto& [id, seen] : transfers) {
      list.push_back(seen.at(now));
      if (seen.runs()) ++running;
    }
    if (drawn_lines_ > 0) terminal_.control(fmt::format("\x1b[{}A", drawn_lines_));
    terminal_.control("\r\x1b[J");
    const auto head =
        fmt::format("{}  {}  (Ctrl-C ends this view, not the transfers)",
                    base::local_time(base::SystemClock{}.wall()),
                    running == 0   ? std::string("no transfer is running")
                    : running == 1 ? std::string("1 transfer is running")
                                   : fmt::format("{} transfers are running", running));
    std::string out = head + "\n";
    drawn_lines_ = 1;
    if (!list.empty()) {
      for (const auto& line :
           transfer_table(list).lines(terminal_, terminal_.columns())) {
        out += line + "\n";
        // A long line takes several lines of the window.
        drawn_lines_ += 1 + (width(plain(line)) - 1) / terminal_.columns();
      }
    }
    terminal_.write(out);
  }

 private:
  // Without emphasis, for counting.
  static std::string plain(const std::string& line) {
    std::string result;
    bool escape = false;
    for (const char c : line) {
      if (c == '\x1b') escape = true;
      if (!escape) result += c;
      if (escape && c == 'm') escape = false;
    }
    return result.empty() ? " " : result;
  }

  const Terminal& terminal_;
  std::size_t drawn_lines_ = 0;
};

}  // namespace

namespace {

// Transfers that ended while the view was open.
class Tally {
 public:
  void ended(const api::Transfer& transfer) {
    if (transfer.state != "complete") {
      ++broken_off_;
      return;
    }
    ++complete_;
    bytes_ += transfer.bytes;
    resent_ += transfer.resent;
    milliseconds_ += transfer.duration_ms;
  }
  // Empty if nothing ended.
  std::string text(std::size_t running) const {
    if (complete_ + broken_off_ == 0) return "";
    std::string text =
        fmt::format("While this view was open {} ended", complete_ + broken_off_);
    if (complete_ > 0) {
      const auto seconds = static_cast<double>(milliseconds_) / 1000;
      text += fmt::format(
          "; {} complete, every byte acknowledged: {} in {}, {} each on average, {} "
          "resent",
          complete_, base::size_text(bytes_), base::duration_text(seconds),
          base::rate_text(seconds > 0 ? static_cast<double>(bytes_) / seconds : 0),
          resent_);
    }
    text += broken_off_ == 0 ? "; none was interrupted"
                             : fmt::format("; {} interrupted", broken_off_);
    if (running > 0) text += fmt::format("; {} still running", running);
    return text + ".\n";
  }

 private:
  std::size_t complete_ = 0;
  std::size_t broken_off_ = 0;
  std::uint64_t bytes_ = 0;
  std::uint64_t resent_ = 0;
  std::int64_t milliseconds_ = 0;
};

}  // namespace

Done watch(const Context& context, std::optional<double> seconds) {
  notice_interrupts();

  const Terminal terminal(stdout);
  const base::SystemClock clock;
  const bool table = terminal.is_terminal() && !context.json;
  std::map<std::uint64_t, Seen> transfers;
  std::map<std::uint64_t, base::Instant> gone_at;     // ended ones leave the view then
  std::map<std::uint64_t, base::Instant> written_at;  // the last line of each
  Tally tally;
  std::optional<Screen> screen;
  if (table) screen.emplace(terminal);
  const auto began = clock.now();
  auto drawn_at = base::Instant{};

  const auto line_for = [&](const Seen& seen, base::Instant now) {
    const auto id = seen.transfer.id;
    const auto last = written_at.find(id);
    if (seen.runs() && last != written_at.end() && now - last->second < kLineInterval) {
      return;
    }
    written_at[id] = now;
    terminal.write(transfer_line(seen.at(now)) + "\n");
    if (!seen.runs()) written_at.erase(id);
  };
  const auto running = [&] {
    return static_cast<std::size_t>(
        std::count_if(transfers.begin(), transfers.end(),
                      [](const auto& one) { return one.second.runs(); }));
  };
  const auto event = [&](const std::string& name, const std::string& data) {
    // Other changes are for those who have the object on their screens.
    if (name != "transfer") return true;
    if (context.json) {
      terminal.write_json(data + "\n");
      return true;
    }
    const auto transfer = api::read_answer<api::Transfer>(data);
    if (!transfer) return true;
    const auto now = clock.now();
    const Seen seen{*transfer, now};
    // An end is told once, and not if it was before the view opened.
    if (!seen.runs()) {
      tally.ended(seen.transfer);
      gone_at[seen.transfer.id] = now + kAfterglow;
    }
    transfers[seen.transfer.id] = seen;
    if (!table) line_for(seen, now);
    return true;
  };
  const auto idle = [&] {
    const auto now = clock.now();
    if (interrupted()) return false;
    if (seconds && std::chrono::duration<double>(now - began).count() >= *seconds) {
      return false;
    }
    std::erase_if(gone_at, [&](const auto& one) {
      if (now < one.second) return false;
      transfers.erase(one.first);
      return true;
    });
    if (table && now - drawn_at >= kRedraw) {
      screen->draw(transfers, now);
      drawn_at = now;
    }
    if (!table && !context.json) {
      for (const auto& [id, seen] : transfers) {
        if (seen.runs()) line_for(seen, now);
      }
    }
    return true;
  };
  auto done = context.api.events(event, idle);
  if (table && drawn_at != base::Instant{}) screen->draw(transfers, clock.now());
  if (!context.json) terminal.write(tally.text(running()));
  if (!done || interrupted() || seconds) return done;
  return tl::unexpected(
      Failure{ExitCode::kNoServer, "the server closed the event stream"});
}

}  // namespace vantro::client
