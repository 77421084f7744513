#include "client/backups.h"

#include <algorithm>
#include <fmt/format.h>
#include <iterator>
#include <map>

#include "base/clock.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "client/backup_offers.h"
#include "client/backup_reports.h"
#include "client/comparison_view.h"
#include "client/render.h"
#include "client/thinning.h"

namespace vantro::client {

std::string ago(const std::string& iso) {
  const auto now = base::SystemClock{}.wall();
  const auto at = base::parse_iso_time(iso).value_or(now);
  return base::duration_text(static_cast<double>(std::max<std::int64_t>(0, now - at)) /
                             1000) +
         " ago";
}

std::string title_of(const api::Backup& backup) {
  return fmt::format("revision {} of {} from {}", backup.revision,
                     base::printable(backup.name, 255), shown(backup.holder));
}

namespace {

std::string doubtful_text(std::size_t lines) {
  return fmt::format(
      "  doubtful {} that may hold a secret and are not masked; look at them, and add a "
      "pattern to [[backups.secret]] where there is a secret",
      counted(lines, "line"));
}

using Align = Table::Align;

struct SaveOptions {
  api::SecretsAsked asked;
  std::string to;  // a file, "-" for standard output; empty: the name's last part
  bool force = false;
  bool masked = false;
};

std::string state_of(const api::Backup& backup) {
  if (!backup.complete) {
    auto state = std::string("partial");
    if (backup.announced) {
      state += fmt::format(" of {}", base::size_text(*backup.announced));
    }
    return state + (backup.why.empty() ? "" : ": " + backup.why);
  }
  std::string state = "complete";
  if (!backup.finding.empty()) state += ", but " + backup.finding;
  if (backup.ending == "unconfirmed") state = backup.why;
  if (backup.ending == "unknown-size") state += ", size never announced";
  if (backup.ending == "cut") state += ", TLS cut at its end";
  if (backup.changed) state += ", changed";
  if (backup.times_seen > 1) {
    state += fmt::format(", seen {}, the last time {}",
                         base::times_text(static_cast<std::uint64_t>(backup.times_seen)),
                         shown_time(backup.last_seen_at));
  }
  if (backup.pinned) state += ", kept";
  if (!backup.recognised.empty()) state += ": " + backup.recognised;
  return state;
}

bool looks_damaged(const api::Backup& backup) {
  return !backup.complete || backup.ending == "unconfirmed" || !backup.finding.empty() ||
         backup.recognised.starts_with("the size of") ||
         backup.recognised.starts_with("differs");
}

// The state of a file in the overview, the worst first.
Cell file_state(const api::BackupFile& file, const api::Expected* expected) {
  if (expected != nullptr && expected->overdue) {
    return {"overdue: " + expected_text(*expected), Tone::kBad};
  }
  if (file.revision == 0) return {"none that is complete and confirmed", Tone::kBad};
  if (file.shrunk) {
    return {file.usual_size
                ? fmt::format("shrank: usually {}", base::size_text(*file.usual_size))
                : "empty",
            Tone::kBad};
  }
  if (!file.doubt.empty()) return {"complete, but " + file.doubt, Tone::kBad};
  if (file.broken_at && *file.broken_at > file.seen_at.value_or("")) {
    return {
        "complete; a later one was interrupted or not confirmed " + ago(*file.broken_at),
        Tone::kBad};
  }
  return {"complete", Tone::kGood};
}

void write_overview(const Terminal& terminal, const api::BackupOverview& overview) {
  std::map<std::string, const api::Expected*> expected;
  for (const auto& one : overview.expected) expected[one.device] = &one;
  Table table({{"DEVICE", Align::kLeft, 0, true},
               {"NAME"},
               {"KIND", Align::kLeft, 4},
               {"REVISION", Align::kRight},
               {"LAST SEEN", Align::kRight},
               {"SIZE", Align::kRight, 1},
               {"USUAL", Align::kRight, 3},
               {"CHANGES", Align::kRight, 2},
               {"STATE"}});
  std::map<std::string, bool> seen;
  for (const auto& file : overview.files) {
    const auto found = file.device ? expected.find(file.holder) : expected.end();
    seen[file.holder] = true;
    table.add({{file.holder},
               {file.name},
               {file.kind},
               {file.revision == 0 ? "-" : std::to_string(file.revision)},
               {file.seen_at ? ago(*file.seen_at) : "-"},
               {file.revision == 0 ? "-" : base::size_text(file.size)},
               {file.usual_size ? base::size_text(*file.usual_size) : "-"},
               {file.changes == 0 ? "-" : std::to_string(file.changes)},
               file_state(file, found == expected.end() ? nullptr : found->second)});
  }
  for (const auto& one : overview.expected) {
    if (seen[one.device]) continue;
    table.add({{one.device},
               {"-"},
               {""},
               {"-"},
               {"-"},
               {"-"},
               {"-"},
               {"-"},
               {(one.overdue ? "overdue: " : "") + expected_text(one),
                one.overdue ? Tone::kBad : Tone::kPlain}});
  }
  write_or(table, terminal, "No backups yet: no device has sent a file.");
}

Done list_backups(const Context& context, std::int64_t days) {
  return show(context, api::kBackupOverview, {days}, write_overview);
}

Done list_revisions(const Context& context, const std::string& holder,
                    const std::string& name) {
  api::BackupsAsked asked{holder, name, ""};
  const bool rows_wanted = context.view.csv || context.view.json_lines;
  api::Rows rows;
  const Terminal terminal(stdout, &context.view);
  Table table({{"DEVICE", Align::kLeft, 0, true},
               {"NAME", Align::kLeft, 0, true},
               {"REVISION", Align::kRight},
               {"SIZE", Align::kRight, 1},
               {"ARRIVED"},
               {"STATE"}});
  JsonList list(terminal, "backups");
  do {
    const auto answer = context.api.call(api::kBackups, asked);
    if (!answer) return tl::unexpected(answer.error());
    asked.after = answer->value.next;
    if (rows_wanted) {
      auto more = api::rows_of(answer->text, api::shape_of<api::BackupPage>());
      rows.names = std::move(more.names);
      std::move(more.rows.begin(), more.rows.end(), std::back_inserter(rows.rows));
      continue;
    }
    for (const auto& backup : answer->value.backups) {
      if (context.json) {
        list.add(api::json_of(backup));
        continue;
      }
      table.add({{backup.holder},
                 {backup.name},
                 {std::to_string(backup.revision)},
                 {base::size_text(backup.size)},
                 {shown_time(backup.arrived_at)},
                 {state_of(backup), looks_damaged(backup) ? Tone::kBad : Tone::kGood}});
    }
  } while (!asked.after.empty());
  if (rows_wanted) return show_rows(terminal, context.view, rows);
  if (context.json) {
    list.end();
    return {};
  }
  write_or(table, terminal,
           holder.empty() ? "No backups yet: no device has sent a file."
                          : "No backups from " + base::printable(holder) + ".");
  if (!terminal.complaint().empty()) return wrong_use(terminal.complaint());
  return {};
}

Done show_backup(const Context& context, const api::RevisionAsked& asked) {
  return show(
      context, api::kBackup, asked,
      [](const Terminal& terminal, const api::Backup& backup) {
        terminal.write(fmt::format("{} from {}, revision {}\n",
                                   base::printable(backup.name, 255),
                                   shown(backup.holder), backup.revision));
        terminal.write(fmt::format("  state    {}\n  size     {}\n",
                                   base::printable(state_of(backup), 400),
                                   exact_size(backup.size)));
        if (!backup.kind.empty()) {
          terminal.write(fmt::format("  kind     {}{}\n", backup.kind,
                                     backup.text ? ", text" : ", binary"));
        }
        if (!backup.inside.empty()) {
          terminal.write(
              fmt::format("  inside   {}\n", backup.inside == "unknown"
                                                 ? "nothing that could be checked"
                                                 : backup.inside));
        }
        if (!backup.caution.empty()) {
          terminal.write(terminal.toned(
              fmt::format("  CAUTION  {}\n", shown(backup.caution, 400)), Tone::kBad));
        }
        if (backup.secrets > 0) {
          terminal.write(fmt::format("  secrets  {}, masked wherever it is shown\n",
                                     backup.secrets));
        }
        if (backup.doubtful > 0) {
          terminal.write(terminal.toned(doubtful_text(backup.doubtful), Tone::kBad) +
                         "\n");
        }
        if (backup.announced) {
          terminal.write(
              fmt::format("  the device announced {}\n", exact_size(*backup.announced)));
        }
        if (backup.digests) write_digests(terminal, *backup.digests);
        terminal.write(
            fmt::format("  arrived  {}{}{}\n", shown_time(backup.arrived_at),
                        backup.protocol.empty() ? "" : " over " + backup.protocol,
                        backup.account.empty() ? "" : ", account " + backup.account));
        if (backup.device) {
          terminal.write(fmt::format("  from     {}\n", shown(backup.address)));
        }
        if (backup.pinned) {
          terminal.write(
              "  kept     whatever retention says" +
              (backup.pinned_why.empty() ? "" : ": " + shown(backup.pinned_why, 300)) +
              "\n");
        }
        if (!backup.kept) terminal.write("  its bytes are no longer kept\n");
      });
}

Done save_backup(const Context& context, const SaveOptions& options) {
  const auto& asked = options.asked;
  const auto answer =
      context.api.call(api::kBackup, {asked.holder, asked.name, asked.revision});
  if (!answer) return tl::unexpected(answer.error());
  const auto& backup = answer->value;
  // The revision is fixed now: a newer one may arrive in between.
  auto exact = asked;
  exact.revision = backup.revision;
  const auto from =
      options.masked ? api::kBackupText.target(exact) : api::kBackupContent.target(exact);
  Recorded recorded{backup.size, backup.digests ? backup.digests->sha256 : std::string()};
  if (options.masked) recorded = {};

  const auto target =
      options.to.empty() ? std::string(base::last_part(backup.name)) : options.to;
  const auto saved = save(context, from, target, options.force, recorded);
  if (!saved) return tl::unexpected(saved.error());
  if (target == "-") return {};
  const Terminal terminal(stdout);
  if (context.json) {
    terminal.write_json(api::indented(api::with_text(answer->text, "saved_to", target)) +
                        "\n");
    return {};
  }
  terminal.write(fmt::format("{}: revision {} of {} from {}, {}\n", target,
                             backup.revision, base::printable(backup.name, 255),
                             shown(backup.holder), exact_size(backup.size)));
  if (!backup.caution.empty()) {
    terminal.write(terminal.toned(
        fmt::format("  CAUTION: {}\n", shown(backup.caution, 400)), Tone::kBad));
  }
  if (options.masked) {
    terminal.write(fmt::format("  {} masked: the file is for reading, not for a device\n",
                               counted(backup.secrets, "secret")));
    if (backup.doubtful > 0) {
      terminal.write(terminal.toned(doubtful_text(backup.doubtful), Tone::kBad) + "\n");
    }
  } else if (backup.complete) {
    terminal.write(fmt::format("  SHA-256 {} as recorded\n", backup.digests->sha256));
  } else {
    terminal.write(
        terminal.toned("  Partial: the transfer was interrupted; the rest is missing",
                       Tone::kBad) +
        "\n");
  }
  return {};
}

}  // namespace

void backup_commands(const Command& top) {
  const auto backup = top.group("backup", "Manage files that devices have sent");
  {
    auto& asked = backup.keep<api::OverviewAsked>();
    const auto list =
        backup.add("list", "List each file with its newest revision and its state",
                   [&asked](const Context& c) { return list_backups(c, asked.days); });
    list.value("--days", asked.days, "Count the changes of so many days")
        .show_default()
        .range(1, 3650);
    list.shows_list()
        .example("backup list")
        .example("backup list --sort changes --reverse")
        .related({"backup revisions", "backup overdue", "help backups"});
  }
  {
    auto& o = backup.keep<api::BackupsAsked>();
    const auto list = backup.add(
        "revisions", "List all revisions, of one device or of one file",
        [&o](const Context& c) { return list_revisions(c, o.holder, o.name); });
    list.value("DEVICE", o.holder, "Device that sent them (default: all)");
    list.value("NAME", o.name, "File, as the device named it");
    list.shows_list()
        .example("backup revisions tidegate-rtr")
        .related({"backup info", "backup compare"});
  }
  {
    auto& asked = backup.keep<api::RevisionAsked>();
    const auto info =
        backup.add("info", "Show one revision with its checksums",
                   [&asked](const Context& c) { return show_backup(c, asked); });
    revision_values(info, asked);
    info.example("backup info tidegate-rtr tidegate-rtr.cfg")
        .related({"backup revisions"});
  }
  {
    auto& o = backup.keep<SaveOptions>();
    const auto command = backup.add("write", "Write one revision to a local file",
                                    [&o](const Context& c) { return save_backup(c, o); });
    revision_values(command, o.asked);
    out_values(command, o.to, o.force, " (default: the last part of the name)");
    secrets_flag(command, o.asked.secrets);
    command.flag("--masked", o.masked, "Mask the secrets");
    command
        .example(
            "backup write tidegate-rtr tidegate-rtr.cfg --revision 1 --out before.cfg "
            "--masked")
        .related({"backup compare", "backup offer add"})
        .exit_codes(
            "6 the bytes do not match their checksum; 7 the file cannot be written");
  }
  backup_report_commands(backup);
  backup_offer_commands(backup);
  keeping_commands(backup);
}

}  // namespace vantro::client
