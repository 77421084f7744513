#include "client/backups.h"

#include <algorithm>
#include <fcntl.h>
#include <fmt/format.h>
#include <map>

#include "api/backups.h"
#include "api/catalogue.h"
#include "base/base64.h"
#include "base/clock.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "client/comparison_view.h"
#include "client/render.h"

namespace vantro::client {
namespace {

using nlohmann::json;
using Align = Table::Align;

std::string revision_path(const BackupOptions& options, const char* rest) {
  auto path = fmt::format("/v1/backups/{}/{}{}", url_escape(options.holder),
                          url_escape(options.name), rest);
  if (options.revision) path += fmt::format("?revision={}", *options.revision);
  return path;
}

// With one more query behind it.
std::string with(std::string path, const std::string& name, const std::string& value) {
  path += path.find('?') == std::string::npos ? '?' : '&';
  return path + name + "=" + url_escape(value);
}

std::string ago(const std::string& iso) {
  const auto now = base::SystemClock{}.wall();
  const auto at = base::parse_iso_time(iso).value_or(now);
  return base::duration_text(static_cast<double>(std::max<std::int64_t>(0, now - at)) /
                             1000) +
         " ago";
}

std::string state_of(const api::Backup& backup) {
  if (!backup.complete) {
    auto state = std::string("partial");
    if (backup.announced) {
      state += fmt::format(" of {}", base::size_text(*backup.announced));
    }
    return state + (backup.why.empty() ? "" : ": " + backup.why);
  }
  std::string state = "complete";
  if (backup.ending == "unconfirmed") state = backup.why;
  if (backup.ending == "unknown-size") state += ", size never announced";
  if (backup.ending == "cut") state += ", TLS cut at its end";
  if (backup.changed) state += ", changed";
  if (backup.times_seen > 1) {
    state += fmt::format(", seen {}, the last time {}",
                         base::times_text(static_cast<std::uint64_t>(backup.times_seen)),
                         shown_time(backup.last_seen_at));
  }
  if (backup.pinned) state += ", pinned";
  if (!backup.recognised.empty()) state += ": " + backup.recognised;
  return state;
}

bool looks_damaged(const api::Backup& backup) {
  return !backup.complete || backup.ending == "unconfirmed" ||
         backup.recognised.starts_with("the size of");
}

// The state of a file in the overview, the worst first.
Cell file_state(const api::BackupFile& file, const api::Expected* expected) {
  if (expected != nullptr && expected->overdue) {
    return {"overdue: " + expected_text(*expected), Tone::kBad};
  }
  if (file.revision == 0) return {"none that is complete and confirmed", Tone::kBad};
  if (file.shrunk) {
    return {
        fmt::format("shrank: usually {}", base::size_text(file.usual_size.value_or(0))),
        Tone::kBad};
  }
  if (file.broken_at && *file.broken_at > file.seen_at.value_or("")) {
    return {"complete; a later one was cut off or not confirmed " + ago(*file.broken_at),
            Tone::kBad};
  }
  return {"complete", Tone::kGood};
}

void write_overview(const Terminal& terminal, const json& answer) {
  const auto overview = answer.get<api::BackupOverview>();
  std::map<std::string, const api::Expected*> expected;
  for (const auto& one : overview.expected) expected[one.device] = &one;
  Table table({{"DEVICE"},
               {"FILE"},
               {"KIND"},
               {"REVISION", Align::kRight},
               {"LAST SEEN", Align::kRight},
               {"SIZE", Align::kRight},
               {"USUAL", Align::kRight},
               {fmt::format("CHANGES IN {} D", overview.days), Align::kRight},
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

void write_compared(const Terminal& terminal, const json& answer) {
  const auto compared = answer.get<api::Compared>();
  terminal.write(terminal.toned("- " + shown(compared.before.title), Tone::kBad) + "\n");
  terminal.write(terminal.toned("+ " + shown(compared.after.title), Tone::kGood) + "\n");
  terminal.write(counts_text(compared.comparison) + "\n");
  write_hunks(terminal, compared.comparison);
}

std::string file_title(const api::FileReport& file) {
  return fmt::format("{} from {}", shown(file.name), shown(file.holder));
}

void write_report(const Terminal& terminal, const json& answer) {
  const auto report = answer.get<api::ChangeReport>();
  terminal.write(
      fmt::format("From {} to {}\n", shown_time(report.from), shown_time(report.to)));
  for (const auto& one : report.overdue) {
    terminal.write(terminal.toned(fmt::format("overdue    {}: {}", shown(one.device),
                                              expected_text(one)),
                                  Tone::kBad) +
                   "\n");
  }
  std::size_t unchanged = 0;
  for (const auto& file : report.files) {
    if (file.what == "broke-off") {
      terminal.write(terminal.toned(fmt::format("broke off  {}: {}", file_title(file),
                                                shown(file.why, 400)),
                                    Tone::kBad) +
                     "\n");
    } else if (file.what == "first") {
      terminal.write(fmt::format("first      {}, {}\n", file_title(file),
                                 base::size_text(file.size)));
    } else if (file.what == "unchanged") {
      ++unchanged;
    }
  }
  if (unchanged > 0) terminal.write(fmt::format("unchanged  {} file(s)\n", unchanged));
  bool any = false;
  for (const auto& file : report.files) {
    if (file.what != "changed") continue;
    any = true;
    terminal.write("\n" +
                   terminal.toned(fmt::format("changed    {}, revision {} to {}, {}",
                                              file_title(file), file.before.value_or(0),
                                              file.after.value_or(0),
                                              shown_time(file.arrived_at.value_or(""))),
                                  Tone::kHead) +
                   "\n");
    if (!file.comparison) {
      terminal.write(shown(file.why, 400) + "\n");
      continue;
    }
    terminal.write(counts_text(*file.comparison) + "\n");
    write_hunks(terminal, *file.comparison);
  }
  if (!any) terminal.write("Nothing changed.\n");
}

// A time, or a span back from now.
Result<std::string> past_iso(const std::string& typed) {
  const auto now = base::SystemClock{}.wall();
  const auto time = base::parse_time(typed, now);
  if (!time) {
    return wrong_use(
        fmt::format("'{}' is no time such as \"2026-11-23 22:00\", and no "
                    "span such as 24h or 7d",
                    base::printable(typed, 60)));
  }
  const bool span = typed.find('-') == std::string::npos && !typed.empty() &&
                    typed.back() >= 'a' && typed.back() <= 'z';
  return base::iso_time(span ? 2 * now - *time : *time);
}

Done write_file(const std::string& file, const std::string& text, bool force) {
  const base::UniqueFd to(::open(
      file.c_str(), O_WRONLY | O_CREAT | O_CLOEXEC | (force ? O_TRUNC : O_EXCL), 0666));
  if (!to) return file_failure(file, errno);
  if (!write_all(to.get(), base::as_bytes(text))) return file_failure(file, errno);
  return {};
}

std::string title_of(const api::Backup& backup) {
  return fmt::format("revision {} of {} from {}", backup.revision,
                     base::printable(backup.name, 255), shown(backup.holder));
}

void write_pinned(const Terminal& terminal, const json& answer) {
  const auto backup = answer.get<api::Backup>();
  terminal.write(
      fmt::format("{}: {}\n", title_of(backup),
                  backup.pinned ? "pinned; it is kept for ever" : "not pinned any more"));
}

void write_offer(const Terminal& terminal, const json& answer) {
  const auto offer = answer.get<api::BackupOffer>();
  terminal.write(fmt::format("{}: revision {} of {} from {}, {}\n", shown(offer.name),
                             offer.revision, shown(offer.file), shown(offer.holder),
                             exact_size(offer.size)));
  terminal.write(fmt::format("  on offer to {} until {}\n", shown(offer.to),
                             shown_time(offer.until)));
}

}  // namespace

Done list_backups(const Context& context, std::int64_t days) {
  return show(context, fmt::format("/v1/backup-overview?days={}", days), write_overview);
}

Done list_revisions(const Context& context, const std::string& holder,
                    const std::string& name) {
  std::string path = "/v1/backups";
  if (!holder.empty()) path = with(path, "holder", holder);
  if (!name.empty()) path = with(path, "name", name);
  const Terminal terminal(stdout);
  Table table({{"DEVICE"},
               {"NAME"},
               {"REVISION", Align::kRight},
               {"SIZE", Align::kRight},
               {"ARRIVED"},
               {"STATE"}});
  JsonList list(terminal, "backups");
  std::string next;
  do {
    const auto answer = context.api.get(next.empty() ? path : with(path, "after", next));
    if (!answer) return tl::unexpected(answer.error());
    next = answer->value("next", "");
    if (context.json) {
      list.add(answer->value("backups", json::array()));
      continue;
    }
    for (const auto& backup : list_of<api::Backup>(*answer, "backups")) {
      table.add({{backup.holder},
                 {backup.name},
                 {std::to_string(backup.revision)},
                 {base::size_text(backup.size)},
                 {shown_time(backup.arrived_at)},
                 {state_of(backup), looks_damaged(backup) ? Tone::kBad : Tone::kGood}});
    }
  } while (!next.empty());
  if (context.json) {
    list.end();
    return {};
  }
  write_or(table, terminal,
           holder.empty() ? "No backups yet: no device has sent a file."
                          : "No backups from " + base::printable(holder) + ".");
  return {};
}

Done show_backup(const Context& context, const BackupOptions& options) {
  return show(
      context, revision_path(options, ""),
      [](const Terminal& terminal, const json& answer) {
        const auto backup = answer.get<api::Backup>();
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
        if (backup.secrets > 0) {
          terminal.write(fmt::format("  secrets  {}, masked wherever it is shown\n",
                                     backup.secrets));
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
              "  pinned   it is kept for ever" +
              (backup.pinned_why.empty() ? "" : ": " + shown(backup.pinned_why, 300)) +
              "\n");
        }
        if (!backup.kept) terminal.write("  its bytes are no longer kept\n");
      });
}

Done save_backup(const Context& context, const BackupOptions& options) {
  const auto answer = context.api.get(revision_path(options, ""));
  if (!answer) return tl::unexpected(answer.error());
  const auto backup = answer->get<api::Backup>();
  // The revision is fixed now: a newer one may arrive in between.
  auto exact = options;
  exact.revision = backup.revision;
  auto path = revision_path(exact, options.masked ? "/text" : "/content");
  if (options.with_secrets) path = with(path, "secrets", "shown");
  Recorded recorded{backup.size, backup.digests ? backup.digests->sha256 : std::string()};
  if (options.masked) recorded = {};

  const auto target =
      options.to.empty() ? std::string(base::last_part(backup.name)) : options.to;
  const auto saved = save(context.api, path, target, options.force, recorded);
  if (!saved) return tl::unexpected(saved.error());
  if (target == "-") return {};
  const Terminal terminal(stdout);
  if (context.json) {
    auto said = *answer;
    said["saved_to"] = target;
    terminal.write(said.dump(2) + "\n");
    return {};
  }
  terminal.write(fmt::format("{}: revision {} of {} from {}, {}\n", target,
                             backup.revision, base::printable(backup.name, 255),
                             shown(backup.holder), exact_size(backup.size)));
  if (options.masked) {
    terminal.write(
        fmt::format("  {} secret(s) masked: it is for reading, no device can "
                    "be set up with it\n",
                    backup.secrets));
  } else if (backup.complete) {
    terminal.write(fmt::format("  SHA-256 {} as recorded\n", backup.digests->sha256));
  } else {
    terminal.write(
        terminal.toned("  Partial: the transfer broke off, the rest is missing",
                       Tone::kBad) +
        "\n");
  }
  return {};
}

Done pin_backup(const Context& context, const BackupOptions& options, bool pinned) {
  json body{{"pinned", pinned}};
  if (!options.why.empty()) body["why"] = options.why;
  return show_answer(context,
                     context.api.send("POST", revision_path(options, "/pin"), body),
                     write_pinned);
}

Done show_overdue(const Context& context) {
  const auto answer = context.api.get("/v1/backup-overdue");
  auto done =
      show_answer(context, answer, [](const Terminal& terminal, const json& told) {
        Table table({{"DEVICE"}, {"SITE"}, {"BACKUP"}});
        for (const auto& one : list_of<api::Expected>(told, "overdue")) {
          table.add({{one.device}, {one.site}, {expected_text(one), Tone::kBad}});
        }
        const auto expected = told.value("expected_of", std::size_t{0});
        write_or(
            table, terminal,
            expected == 0
                ? "No backups are expected of any device. Say how often with 'vantro "
                  "device edit NAME --backup-every daily', or for a whole site with "
                  "'vantro device site SITE --backup-every daily'."
                : fmt::format("None is overdue, of {} that are expected.", expected));
      });
  if (!done) return done;
  if (!list_of<api::Expected>(*answer, "overdue").empty()) {
    return tl::unexpected(Failure{ExitCode::kOverdue, ""});
  }
  return {};
}

Done compare_backups(const Context& context, const CompareOptions& options) {
  const auto finish = [&](std::string path) {
    path = with(path, "context", std::to_string(options.context));
    return options.with_secrets ? with(path, "secrets", "shown") : path;
  };
  if (!options.file.empty()) {
    if (options.name.empty()) {
      return wrong_use(
          "say which file of the device is compared: DEVICE FILE --with FILE");
    }
    const auto text = read_text(options.file);
    if (!text) return tl::unexpected(text.error());
    BackupOptions revision;
    revision.holder = options.holder;
    revision.name = options.name;
    revision.revision = options.after ? options.after : options.before;
    return show_answer(
        context,
        context.api.send("POST", finish(revision_path(revision, "/comparison")),
                         json{{"title", options.file},
                              {"base64", base::base64(base::as_bytes(*text))}}),
        write_compared);
  }
  auto path = with("/v1/backup-comparison", "holder", options.holder);
  if (!options.name.empty()) path = with(path, "name", options.name);
  if (options.before) path = with(path, "before", std::to_string(*options.before));
  if (options.after) path = with(path, "after", std::to_string(*options.after));
  if (!options.other.empty()) path = with(path, "other", options.other);
  if (!options.other_name.empty()) path = with(path, "other_name", options.other_name);
  return show(context, finish(path), write_compared);
}

Done report_changes(const Context& context, const ReportOptions& options) {
  const auto from = past_iso(options.from);
  if (!from) return tl::unexpected(from.error());
  auto path = with("/v1/backup-report", "from", *from);
  if (!options.to.empty()) {
    const auto to = past_iso(options.to);
    if (!to) return tl::unexpected(to.error());
    path = with(path, "to", *to);
  }
  path = with(path, "context", std::to_string(options.context));
  if (options.with_secrets) path = with(path, "secrets", "shown");
  const auto answer = context.api.get(path);
  if (options.html.empty() || !answer) return show_answer(context, answer, write_report);
  if (auto done = write_file(options.html, report_page(answer->get<api::ChangeReport>()),
                             options.force);
      !done) {
    return done;
  }
  return show_answer(context, answer, [&](const Terminal& terminal, const json& told) {
    const auto report = told.get<api::ChangeReport>();
    const auto changed =
        std::count_if(report.files.begin(), report.files.end(),
                      [](const auto& one) { return one.what == "changed"; });
    terminal.write(fmt::format("{}: {} file(s) changed from {} to {}\n", options.html,
                               changed, shown_time(report.from), shown_time(report.to)));
  });
}

Done offer_backup(const Context& context, const BackupOfferOptions& options) {
  json body{{"as", options.as}};
  if (!options.to.empty()) body["to"] = options.to;
  if (!options.until.empty()) {
    const auto until = iso_of(options.until);
    if (!until) return tl::unexpected(until.error());
    body["until"] = *until;
  }
  return show_answer(
      context, context.api.send("POST", revision_path(options.backup, "/offer"), body),
      write_offer);
}

Done list_backup_offers(const Context& context) {
  return show(context, "/v1/backup-offers",
              [](const Terminal& terminal, const json& told) {
                Table table({{"NAME"},
                             {"TO"},
                             {"DEVICE"},
                             {"FILE"},
                             {"REVISION", Align::kRight},
                             {"SIZE", Align::kRight},
                             {"UNTIL"}});
                for (const auto& one : list_of<api::BackupOffer>(told, "offers")) {
                  table.add({{one.name},
                             {one.to},
                             {one.holder},
                             {one.file},
                             {std::to_string(one.revision)},
                             {base::size_text(one.size)},
                             {shown_time(one.until)}});
                }
                write_or(table, terminal, "No backup is on offer.");
              });
}

Done end_backup_offer(const Context& context, const std::string& name) {
  return show_answer(
      context, context.api.send("DELETE", "/v1/backup-offers/" + url_escape(name)),
      [&](const Terminal& terminal, const json&) {
        terminal.write(fmt::format("{}: not on offer any more\n", shown(name)));
      });
}

Done adopt_backup(const Context& context, const AdoptOptions& options) {
  json body = json::object();
  for (const auto& [fact, text] : options.facts) body[fact] = text;
  if (!options.as.empty()) body["name"] = options.as;
  if (options.hold) body["hold"] = true;
  if (options.despite_findings) body["despite_findings"] = true;
  return show_answer(
      context, context.api.send("POST", revision_path(options.backup, "/image"), body),
      [](const Terminal& terminal, const json& told) {
        const auto added = told.get<api::ImageAdded>();
        terminal.write(
            fmt::format("{}: {}, {}\n", shown(added.image.name),
                        added.result == "already-there" ? "known already" : "taken in",
                        exact_size(added.image.size)));
        for (const auto& finding : added.findings) {
          terminal.write("  " + shown(finding, 400) + "\n");
        }
        terminal.write(added.offer.empty()
                           ? "  not on offer" +
                                 (added.note.empty() ? std::string()
                                                     : ": " + shown(added.note, 400)) +
                                 "\n"
                           : "  devices type: " + shown(added.offer) + "\n");
      });
}

Done thin_out(const Context& context, bool really, bool all) {
  // It comes in portions; what people see is one.
  api::ThinnedOut whole;
  do {
    const auto told = context.api.send("POST", "/v1/backup-thinning",
                                       json{{"really", really}, {"from", whole.next}});
    if (!told) return tl::unexpected(told.error());
    auto portion = told->get<api::ThinnedOut>();
    whole.done = portion.done;
    whole.revisions += portion.revisions;
    whole.bytes += portion.bytes;
    whole.kept += portion.kept;
    whole.next = portion.next;
    std::move(portion.files.begin(), portion.files.end(),
              std::back_inserter(whole.files));
  } while (whole.next != 0);
  return show_answer(
      context, Result<json>(json(whole)), [&](const Terminal& terminal, const json&) {
        const auto& thinned = whole;
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

}  // namespace vantro::client
