// The live view: on a terminal a table that is redrawn in place, elsewhere a line for
// each beginning, each second of progress and each end.
#include <csignal>
#include <fmt/format.h>
#include <map>

#include "base/clock.h"
#include "client/commands.h"
#include "client/render.h"
#include "client/terminal.h"

namespace vantro::client {
namespace {

volatile std::sig_atomic_t interrupted = 0;

void interrupt(int) { interrupted = 1; }

constexpr std::chrono::milliseconds kRedraw{200};
constexpr std::chrono::seconds kLineInterval{1};
// As long as the server lists ended transfers.
constexpr std::chrono::seconds kAfterglow{10};

class Screen {
 public:
  explicit Screen(const Terminal& terminal) : terminal_(terminal) {
    terminal_.write("\x1b[?25l");
  }
  ~Screen() { terminal_.write("\x1b[?25h"); }

  void draw(const std::map<std::uint64_t, api::Transfer>& transfers) {
    std::vector<api::Transfer> list;
    std::size_t running = 0;
    for (const auto& [id, transfer] : transfers) {
      list.push_back(transfer);
      if (transfer.state == "running") ++running;
    }
    std::string out;
    if (drawn_lines_ > 0) out += fmt::format("\x1b[{}A", drawn_lines_);
    const auto head =
        fmt::format("{}  {}  (Ctrl-C ends this view, not the transfers)",
                    base::local_time(base::SystemClock{}.wall()),
                    running == 0   ? std::string("no transfer is running")
                    : running == 1 ? std::string("1 transfer is running")
                                   : fmt::format("{} transfers are running", running));
    out += "\r\x1b[J" + head + "\n";
    drawn_lines_ = 1;
    if (!list.empty()) {
      for (const auto& line :
           transfer_table(list).lines(terminal_, terminal_.columns())) {
        out += line + "\n";
        // A line that is too long takes several of the window's.
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

Done watch(const Context& context, std::optional<double> seconds) {
  struct sigaction action {};
  action.sa_handler = interrupt;
  ::sigaction(SIGINT, &action, nullptr);
  ::sigaction(SIGTERM, &action, nullptr);

  const Terminal terminal(stdout);
  const base::SystemClock clock;
  const bool table = terminal.is_terminal() && !context.json;
  std::map<std::uint64_t, api::Transfer> transfers;
  std::map<std::uint64_t, base::Instant> gone_at;     // ended ones leave the view then
  std::map<std::uint64_t, base::Instant> written_at;  // the last line of each
  std::optional<Screen> screen;
  if (table) screen.emplace(terminal);
  const auto began = clock.now();
  auto drawn_at = base::Instant{};

  const auto line_for = [&](const api::Transfer& transfer) {
    const auto now = clock.now();
    const auto last = written_at.find(transfer.id);
    const bool running = transfer.state == "running";
    if (running && last != written_at.end() && now - last->second < kLineInterval) return;
    written_at[transfer.id] = now;
    terminal.write(transfer_line(transfer) + "\n");
    if (!running) written_at.erase(transfer.id);
  };
  const auto event = [&](const std::string& data) {
    if (context.json) {
      terminal.write(data + "\n");
      return true;
    }
    const auto parsed = nlohmann::json::parse(data, nullptr, false);
    if (parsed.is_discarded()) return true;
    auto transfer = parsed.get<api::Transfer>();
    if (!table) {
      line_for(transfer);
      return true;
    }
    if (transfer.state != "running") gone_at[transfer.id] = clock.now() + kAfterglow;
    transfers[transfer.id] = std::move(transfer);
    return true;
  };
  const auto idle = [&] {
    const auto now = clock.now();
    if (interrupted != 0) return false;
    if (seconds && std::chrono::duration<double>(now - began).count() >= *seconds) {
      return false;
    }
    if (table && now - drawn_at >= kRedraw) {
      for (auto at = gone_at.begin(); at != gone_at.end();) {
        if (now >= at->second) {
          transfers.erase(at->first);
          at = gone_at.erase(at);
        } else {
          ++at;
        }
      }
      screen->draw(transfers);
      drawn_at = now;
    }
    return true;
  };
  auto done = context.api.events("/v1/events", event, idle);
  if (table && drawn_at != base::Instant{}) screen->draw(transfers);
  if (!done || interrupted != 0 || seconds) return done;
  return tl::unexpected(
      Failure{ExitCode::kNoServer, "the server ended the stream of events"});
}

}  // namespace vantro::client
