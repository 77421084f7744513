#include "client/ledger.h"

#include <algorithm>
#include <cerrno>
#include <fmt/format.h>
#include <unistd.h>

#include "base/sizes.h"
#include "base/whole_file.h"
#include "client/render.h"

namespace vantro::client {
namespace {

using Align = Table::Align;

struct Options {
  std::int64_t rows = 50;
  api::LedgerAsked asked;
  std::string from, until;  // as they were typed
};

// "anna (192.0.2.7)"; a device's name goes before its address, and a mirror behind it.
std::string who(const api::LedgerEntry& entry) {
  auto text = entry.from.empty() ? who_text(entry.actor, entry.device, entry.account)
                                 : fmt::format("{} ({})", entry.actor, entry.from);
  if (!entry.mirror.empty()) text += " at " + entry.mirror;
  return text;
}

void write_page(const Terminal& terminal, const Options& options,
                const api::LedgerPage& page) {
  auto entries = page.entries;
  std::reverse(entries.begin(), entries.end());
  const auto moved = [](const api::LedgerEntry& entry) {
    return entry.event == "fetch" || entry.event == "deposit" || entry.event == "push" ||
           entry.event == "image-add";
  };
  // Columns of transfers only take no space where there are none.
  const bool any_moved = std::any_of(entries.begin(), entries.end(), moved);
  const bool any_resent = std::any_of(entries.begin(), entries.end(),
                                      [](const auto& entry) { return entry.resent > 0; });
  std::vector<Table::Column> columns{{"WHEN"},  {"BY"},
                                     {"EVENT"}, {"OVER", Align::kLeft, 1},
                                     {"NAME"},  {"SHA-256", Align::kLeft, 5}};
  if (any_moved) {
    columns.push_back({"BYTES", Align::kRight, 2});
    columns.push_back({"TOOK", Align::kRight, 4});
  }
  if (any_resent) columns.push_back({"RESENT", Align::kRight, 3});
  columns.push_back({"OUTCOME"});
  columns.push_back({"NOTE"});
  Table table(std::move(columns));
  for (const auto& entry : entries) {
    const bool timed = moved(entry) && entry.duration_ms > 0;
    std::vector<Cell> cells{
        {shown_time(entry.at)}, {who(entry)},
        {entry.event},          {entry.protocol},
        {entry.name},           {entry.sha256 ? entry.sha256->substr(0, 8) : ""}};
    if (any_moved) {
      cells.push_back({moved(entry) && entry.outcome != "refused"
                           ? base::size_text(entry.bytes)
                           : ""});
      cells.push_back(
          {timed ? base::duration_text(static_cast<double>(entry.duration_ms) / 1000)
                 : ""});
    }
    if (any_resent) {
      cells.push_back({entry.resent > 0 ? std::to_string(entry.resent) : ""});
    }
    cells.push_back({entry.outcome, tone_of(entry.outcome)});
    cells.push_back({entry.sentence});
    table.add(std::move(cells));
  }
  const auto& asked = options.asked;
  const bool filtered =
      !asked.by.empty() || !asked.event.empty() || !asked.name.empty() ||
      !asked.outcome.empty() || !asked.sha256.empty() || !asked.request.empty() ||
      !asked.mirror.empty() || !asked.from.empty() || !asked.until.empty();
  write_or(table, terminal,
           filtered ? "No row of the ledger matches."
           : asked.whose.empty()
               ? "The ledger is empty."
               : fmt::format("The ledger has no rows of {}.", shown(asked.whose, 60)));
}

Done show_ledger(const Context& context, Options options) {
  auto& asked = options.asked;
  for (const auto& [typed, time] :
       {std::pair(&options.from, &asked.from), std::pair(&options.until, &asked.until)}) {
    if (typed->empty()) continue;
    auto iso = past_iso(context, *typed);
    if (!iso) return tl::unexpected(iso.error());
    *time = std::move(*iso);
  }
  // For programs: all matching rows, oldest first, as they come.
  if (context.view.csv || context.view.json_lines) {
    const auto& view = context.view;
    if (!view.sort.empty() || !view.columns.empty() || view.reverse) {
      return wrong_use("the ledger is written in its own order, with all columns");
    }
    const api::LedgerExportAsked all{asked.whose,
                                     asked.by,
                                     asked.from,
                                     asked.until,
                                     asked.event,
                                     asked.name,
                                     asked.outcome,
                                     asked.sha256,
                                     asked.request,
                                     asked.mirror,
                                     context.view.json_lines ? "json-lines" : "csv"};
    bool written = true;
    auto done =
        context.api.download(api::kLedgerExport.target(all), [&](base::ByteView bytes) {
          return written = base::write_all(STDOUT_FILENO, bytes);
        });
    if (!written) return file_failure("standard output", errno);
    return done;
  }
  asked.limit = options.rows;
  return show(context, api::kLedger, asked,
              [&](const Terminal& terminal, const api::LedgerPage& page) {
                write_page(terminal, options, page);
              });
}

Done verify_ledger(const Context& context, const std::string& noted) {
  bool sound = true;
  auto done =
      show(context, api::kLedgerVerify, {noted},
           [&](const Terminal& terminal, const api::LedgerVerified& found) {
             sound = found.sound;
             for (const auto& one : found.breaks) {
               terminal.write(
                   terminal.toned("  " + shown(one.sentence, 200), Tone::kBad) + "\n");
             }
             terminal.write(terminal.toned(
                 fmt::format("{}: {}\n",
                             counted(static_cast<std::uint64_t>(found.rows), "row"),
                             found.sound ? "no row is missing or changed"
                                         : "rows are missing or changed"),
                 found.sound ? Tone::kGood : Tone::kBad));
             if (found.unchained > 0) {
               terminal.write(
                   fmt::format("{} of them have no hash (written by an earlier version) "
                               "and can't be checked.\n",
                               found.unchained));
             }
             terminal.write(
                 fmt::format("To detect later that rows were removed from the end, keep "
                             "this elsewhere:\n{}\n",
                             found.newest));
           });
  if (!done || context.json || sound) return done;
  return tl::unexpected(Failure{ExitCode::kChecksum, ""});
}

}  // namespace

void ledger_commands(const Command& top) {
  auto& o = top.keep<Options>();
  const auto ledger =
      top.add("ledger", "Show who transferred and changed what, newest last",
              [&o](const Context& c) { return show_ledger(c, o); });
  ledger
      .value("--limit", o.rows,
             "Show at most this many of the newest rows; not with --csv and --jsonl")
      .show_default()
      .range(1, 10'000);
  ledger.value("--device", o.asked.whose, "Only this device");
  ledger.value("--by", o.asked.by, "Only what this person did");
  ledger.value("--from", o.from, "Only rows since this time");
  ledger.value("--until", o.until, "Only rows before this time");
  ledger.value("--event", o.asked.event,
               "Only these events, such as fetch,image-withdraw");
  ledger.value("--name", o.asked.name, "Only this name; * matches anything");
  ledger.value("--outcome", o.asked.outcome,
               "Only this outcome: complete, failed, abandoned, refused or done");
  ledger.value("--mirror", o.asked.mirror, "Only rows that this mirror reported");
  ledger.value("--request", o.asked.request,
               "Only rows of this request, as the log names it");
  ledger.shows_list()
      .example("ledger --device tidegate-rtr --from yesterday")
      .example("ledger --event fetch --outcome refused")
      .example("ledger --from 2026-11-01 --csv > november.csv")
      .related({"contact", "changes", "ledger verify"});
  auto& noted = top.keep<std::string>();
  const auto verify =
      ledger.sub("verify", "Check that no row of the ledger is missing or was changed",
                 [&noted](const Context& c) { return verify_ledger(c, noted); });
  verify.value("--noted", noted, "ROW:HASH that an earlier check showed");
  verify.example("ledger verify").exit_codes("6 rows are missing or were changed");
}

}  // namespace vantro::client
