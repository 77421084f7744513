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
  terminal.write(
      fmt::format("{}: {}\n", title_of(backup),
                  backup.pinned ? "pinned; it is kept for ever" : "not pinned any more"));
}

Done pin_backup(const Context& context, const api::RevisionAsked& asked,
                const api::PinWanted& wanted) {
  return show_answer(context, context.api.call(api::kPinBackup, asked, wanted),
                     write_pinned);
}

Done thin_out(const Context& context, bool really, bool all) {
  // It comes in portions; what people see is one.
  api::ThinnedOut whole;
  do {
    auto told = context.api.call(api::kThinOutBackups, {}, {really, whole.next});
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
        Table table({{"DEVICE"},
                     {"FILE"},
                     {"REVISION", Align::kRight},
                     {"ARRIVED"},
                     {"SIZE", Align::kRight},
                     {"WHAT"},
                     {"WHY"}});
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
              fmt::format("Nothing goes: the rules of keeping let all {} "
                          "revisions stay.\n",
                          thinned.kept));
          return;
        }
        // Bytes that revisions of different portions share are not in the sum of a dry
        // run.
        terminal.write(fmt::format(
            "{} of {} revisions {}, {} {}.{}\n", thinned.revisions,
            thinned.revisions + thinned.kept, thinned.done ? "were removed" : "would go",
            thinned.done ? base::size_text(thinned.bytes)
                         : "at least " + base::size_text(thinned.bytes),
            thinned.done ? "are free" : "would be free",
            thinned.done ? "" : " Nothing was removed; --really does it."));
      });
}

}  // namespace

void keeping_commands(const Command& backup) {
  struct Pin {
    api::RevisionAsked asked;
    api::PinWanted wanted;
  };
  {
    auto& o = backup.keep<Pin>();
    const auto pin =
        backup.add("pin", "keep one revision for ever",
                   [&o](const Context& c) { return pin_backup(c, o.asked, o.wanted); });
    revision_values(pin, o.asked);
    pin.value("--why", o.wanted.why, "the reason, for those who find it later");
  }
  {
    auto& o = backup.keep<Pin>();
    o.wanted.pinned = false;
    revision_values(
        backup.add("unpin", "it is kept as the rules say again",
                   [&o](const Context& c) { return pin_backup(c, o.asked, o.wanted); }),
        o.asked);
  }
  struct Thin {
    bool really = false;
    bool all = false;
  };
  auto& o = backup.keep<Thin>();
  const auto thin =
      backup.add("thin-out", "show what the rules of keeping let go; --really removes it",
                 [&o](const Context& c) { return thin_out(c, o.really, o.all); });
  thin.flag("--really", o.really, "remove it, for good");
  thin.flag("--all", o.all, "also show what stays of these files, and why");
}

}  // namespace vantro::client
