#include "client/overview.h"

#include <algorithm>
#include <cstdlib>
#include <fmt/format.h>
#include <string>
#include <vector>

#include "base/clock.h"
#include "base/sizes.h"
#include "client/render.h"
#include "client/table.h"

namespace vantro::client {
namespace {

// Rows of each part; the rest is counted.
constexpr std::size_t kRows = 5;

struct Parts {
  Answered<api::Status> status;
  Answered<api::TransferList> transfers;
  Answered<api::JobList> jobs;
  Answered<api::RescueList> rescues;
  Answered<api::Overdue> overdue;
  Answered<api::LedgerPage> refused;
};

// Fetches one of them; false: `failed` says why.
template <class T>
bool take(Result<Answered<T>> answer, Answered<T>& to, std::optional<Failure>& failed) {
  if (answer) {
    to = std::move(*answer);
  } else if (!failed) {
    failed = answer.error();
  }
  return !failed;
}

Result<Parts> ask(const ApiClient& api) {
  Parts all;
  std::optional<Failure> failed;
  api::LedgerAsked refused;
  refused.outcome = "refused";
  refused.limit = kRows;
  refused.from = base::iso_time(base::SystemClock{}.wall() - 60 * 60 * 1000);
  const bool whole = take(api.call(api::kStatus), all.status, failed) &&
                     take(api.call(api::kTransfers), all.transfers, failed) &&
                     take(api.call(api::kJobs, {"open", "", ""}), all.jobs, failed) &&
                     take(api.call(api::kRescues), all.rescues, failed) &&
                     take(api.call(api::kBackupOverdue), all.overdue, failed) &&
                     take(api.call(api::kLedger, refused), all.refused, failed);
  if (!whole) return tl::unexpected(*failed);
  return all;
}

// A title with lines below it. Where they are read on a terminal, a long line takes two
// of the terminal's at most: everything has to fit on one screen.
class Screen {
 public:
  explicit Screen(const Terminal& terminal) : terminal_(terminal) {}
  void title(const std::string& text) {
    terminal_.write("\n" + terminal_.toned(text, Tone::kHead) + "\n");
  }
  void line(const std::string& text, Tone tone = Tone::kPlain) {
    const bool limited = terminal_.is_terminal() || std::getenv("COLUMNS") != nullptr;
    const auto room = std::max<std::size_t>(terminal_.columns(), 20) - kIndent;
    auto pieces = limited ? wrapped(text, room) : std::vector<std::string>{text};
    if (pieces.size() > 2) {
      pieces.resize(2);
      pieces[1].resize(bytes_that_fit(pieces[1], room - 3));
      pieces[1] += "...";
    }
    terminal_.write(terminal_.toned("  " + pieces[0], tone) + "\n");
    if (pieces.size() > 1) {
      terminal_.write(terminal_.toned("    " + pieces[1], tone) + "\n");
    }
  }
  void more(std::size_t all, const char* command) {
    if (all > kRows)
      line(fmt::format("and {} more: {}", all - kRows, command), Tone::kFaint);
  }

 private:
  static constexpr std::size_t kIndent = 4;
  const Terminal& terminal_;
};

template <class T>
std::size_t shown_of(const std::vector<T>& all) {
  return std::min(all.size(), kRows);
}

void write_transfers(Screen& screen, const std::vector<api::Transfer>& all) {
  std::vector<api::Transfer> running;
  for (const auto& one : all) {
    if (one.state == "running") running.push_back(one);
  }
  if (running.empty()) return;
  screen.title("Running now");
  for (std::size_t i = 0; i < shown_of(running); ++i) {
    screen.line(transfer_line(running[i]),
                running[i].stalled_ms ? Tone::kBad : Tone::kPlain);
  }
  screen.more(running.size(), "vantro transfer list");
}

// False: nothing waits for a person.
bool write_waiting(Screen& screen, const Parts& parts) {
  // Those of later batches wait for the previous batch, not for a person.
  std::vector<api::Job> jobs;
  for (const auto& one : parts.jobs.value.jobs) {
    if (one.stage != "held") jobs.push_back(one);
  }
  std::vector<const api::Rescue*> open;
  for (const auto& one : parts.rescues.value.rescues) {
    if (one.ended_at.empty()) open.push_back(&one);
  }
  if (jobs.empty() && open.empty()) return false;
  screen.title("Waits for somebody");
  for (const auto* one : open) {
    screen.line(fmt::format("rescue {} on {}: {}; until {}", one->number, one->interface,
                            shown(one->stage), shown_time(one->until)),
                Tone::kCaution);
  }
  for (std::size_t i = 0; i < shown_of(jobs); ++i) {
    const auto& one = jobs[i];
    screen.line(fmt::format("{} to {} ({}): {}", shown(one.device), shown(one.aim),
                            shown(one.owner), shown(one.waits_for)));
  }
  screen.more(jobs.size(), "vantro job list");
  return true;
}

void write_wrong(Screen& screen, const Parts& parts) {
  const auto& trouble = parts.status.value.trouble;
  const auto& overdue = parts.overdue.value.overdue;
  const auto& refused = parts.refused.value.entries;
  if (trouble.empty() && overdue.empty() && refused.empty()) return;
  screen.title("Needs a look");
  for (std::size_t i = 0; i < shown_of(trouble); ++i)
    screen.line(shown(trouble[i]), Tone::kBad);
  screen.more(trouble.size(), "vantro status");
  if (!overdue.empty()) {
    std::string names;
    for (std::size_t i = 0; i < shown_of(overdue); ++i) {
      names += (names.empty() ? "" : ", ") + shown(overdue[i].device);
    }
    if (overdue.size() > kRows)
      names += fmt::format(" and {} more", overdue.size() - kRows);
    screen.line("backups overdue: " + names + " (vantro backup overdue)", Tone::kBad);
  }
  for (auto one = refused.rbegin(); one != refused.rend(); ++one) {
    screen.line(fmt::format("{} {} refused {} '{}': {}", shown_time(one->at).substr(11),
                            who_text(one->actor, one->device, one->account), one->event,
                            shown(one->name), shown(one->sentence)));
  }
}

void write_all(const Terminal& terminal, const Parts& parts) {
  const auto& status = parts.status.value;
  terminal.write(fmt::format(
      "vantrod {}, up {}; {}, {}, {}; {} free\n", status.version,
      base::duration_text(static_cast<double>(status.uptime_ms) / 1000),
      counted(status.images, "image"), counted(status.offers, "offer"),
      counted(status.backups, "revision"), base::size_text(status.disk_free)));
  if (!status.drain.empty()) {
    terminal.write(terminal.toned(shown(status.drain), Tone::kCaution) + "\n");
  }
  Screen screen(terminal);
  write_transfers(screen, parts.transfers.value.transfers);
  const bool waits = write_waiting(screen, parts);
  write_wrong(screen, parts);
  const bool quiet = status.running_transfers == 0 && status.trouble.empty() && !waits;
  terminal.write("\n");
  if (quiet) terminal.write("Nothing is running, and nothing waits for you.\n");
  if (status.images == 0) {
    terminal.write("Nothing is on offer yet; add an image with: vantro image add FILE\n");
  }
  terminal.write(terminal.toned("vantro help: all commands and topics", Tone::kFaint) +
                 "\n");
}

}  // namespace

Done show_overview(const Context& context) {
  const auto parts = ask(context.api);
  if (!parts) return tl::unexpected(parts.error());
  const Terminal terminal(stdout, &context.view);
  if (!context.json) {
    write_all(terminal, *parts);
    return {};
  }
  terminal.write_json(
      api::indented(fmt::format("{{\"status\": {}, \"transfers\": {}, \"jobs\": {}, "
                                "\"rescues\": {}, \"overdue\": {}, \"refused\": {}}}",
                                parts->status.text, parts->transfers.text,
                                parts->jobs.text, parts->rescues.text,
                                parts->overdue.text, parts->refused.text)) +
      "\n");
  return {};
}

}  // namespace vantro::client
