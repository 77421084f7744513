#include "client/thinning.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/sizes.h"
#include "client/backups.h"
#include "client/render.h"

namespace vantro::client {
namespace {

using Align = Table::Align;

void write_pinned(const Terminal& terminal, const api::Backup& backup) {
  terminal.write(fmt::format(
      "{}: {}\n", title_of(backup),
      backup.pinned ? "kept whatever retention says" : "retention applies to it again"));
}

Done pin_backup(const Context& context, const api::RevisionAsked& asked,
                const api::PinWanted& wanted) {
  return show_answer(context, context.api.call(api::kPinBackup, asked, wanted),
                     write_pinned);
}

Done thin_out(const Context& context, bool yes, bool all, bool dry_run) {
  if (!dry_run) {
    const auto asked = ask_first(
        context, yes,
        "Remove all revisions that retention no longer keeps? --dry-run lists them.");
    if (!asked) return asked;
  }
  // The answer comes in portions; people see it as one.
  api::ThinnedOut whole;
  do {
    auto told = context.api.call(api::kThinOutBackups, {}, {!dry_run, whole.next});
    if (!told) return tl::unexpected(told.error());
    auto& portion = told->value;
    whole.done = portion.done;
    whole.revisions += portion.revisions;
    whole.bytes += portion.bytes;
    whole.kept += portion.kept;
    whole.next = portion.next;
    std::move(portion.files.begin(), portion.files.end(),
              std::back_inserter(whole.files));
  } while (whole.next != 0);
  return show_answer(
      context, Result<Answered<api::ThinnedOut>>(answered(std::move(whole))),
      [&](const Terminal& terminal, const api::ThinnedOut& thinned) {
        Table table({{"DEVICE", Table::Align::kLeft, 0, true},
                     {"NAME", Table::Align::kLeft, 0, true},
                     {"REVISION", Table::Align::kRight},
                     {"ARRIVED", Table::Align::kLeft, 1},
                     {"SIZE", Table::Align::kRight, 2},
                     {"OUTCOME"},
                     {"REASON"}});
        for (const auto& file : thinned.files) {
          for (const auto& one : file.revisions) {
            if (!one.goes && !all) continue;
            table.add({{file.holder},
                       {file.name},
                       {std::to_string(one.revision)},
                       {shown_time(one.arrived_at)},
                       {base::size_text(one.size)},
                       {one.goes ? (thinned.done ? "removed" : "goes") : "stays",
                        one.goes ? Tone::kBad : Tone::kGood},
                       {one.why}});
          }
        }
        if (!table.empty()) table.write(terminal);
        if (thinned.revisions == 0) {
          terminal.write(
              thinned.kept == 1
                  ? std::string("Retention keeps the only revision.\n")
                  : fmt::format("Retention keeps all {} revisions.\n", thinned.kept));
          return;
        }
        // The sum of a dry run does not count bytes that revisions of different portions
        // share.
        terminal.write(fmt::format(
            "{} of {} revisions {}, {} {}.{}\n", thinned.revisions,
            thinned.revisions + thinned.kept, thinned.done ? "were removed" : "would go",
            thinned.done ? base::size_text(thinned.bytes)
                         : "at least " + base::size_text(thinned.bytes),
            thinned.done ? "are free" : "would be free",
            thinned.done ? "" : " Nothing was removed."));
      });
}

}  // namespace

void keeping_commands(const Command& backup) {
  {
    struct Keep {
      api::RevisionAsked asked;
      api::PinWanted wanted;
      bool undo = false;
    };
    auto& o = backup.keep<Keep>();
    const auto keep = backup.add("keep", "Keep one revision whatever retention says",
                                 [&o](const Context& c) {
                                   auto wanted = o.wanted;
                                   wanted.pinned = !o.undo;
                                   return pin_backup(c, o.asked, wanted);
                                 });
    revision_values(keep, o.asked);
    const auto reason =
        keep.value("--reason", o.wanted.why, "Reason, for colleagues who find it later");
    keep.flag("--undo", o.undo, "Apply the retention rules to it again").excludes(reason);
    keep.example(
            "backup keep tidegate-rtr tidegate-rtr.cfg --reason \"before the migration\"")
        .example("backup keep tidegate-rtr tidegate-rtr.cfg --undo")
        .related({"backup thin", "backup revisions"});
  }
  struct Thin {
    bool yes = false, all = false, dry_run = false;
  };
  auto& o = backup.keep<Thin>();
  const auto thin =
      backup.add("thin", "Remove the revisions that retention no longer keeps",
                 [&o](const Context& c) { return thin_out(c, o.yes, o.all, o.dry_run); });
  const auto dry = thin.flag("--dry-run", o.dry_run, "Only list them");
  thin.flag("--all", o.all, "Also list the revisions of these files that stay, and why");
  const auto yes = thin.flag("--yes", o.yes, "Do not ask");
  yes.excludes(dry);
  thin.example("backup thin --dry-run --all")
      .related({"backup keep", "backup revisions"});
}

}  // namespace vantro::client
