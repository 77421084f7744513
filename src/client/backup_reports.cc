#include "client/backup_reports.h"

#include <algorithm>
#include <fcntl.h>
#include <fmt/format.h>

#include "base/base64.h"
#include "base/clock.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "base/whole_file.h"
#include "client/comparison_view.h"
#include "client/render.h"

namespace vantro::client {
namespace {

struct CompareOptions {
  api::CompareAsked asked;
  std::vector<std::int64_t> revisions;  // one: with the newest; two: with each other
  std::string file;                     // of this machine
};

struct ReportOptions {
  api::ReportAsked asked{"", "", 3, "masked"};  // times as they were typed
  bool html = false;
  std::string out;
  bool force = false;
};

void write_compared(const Terminal& terminal, const api::Compared& compared) {
  terminal.write(terminal.toned("- " + shown(compared.before.title), Tone::kBad) + "\n");
  terminal.write(terminal.toned("+ " + shown(compared.after.title), Tone::kGood) + "\n");
  terminal.write(counts_text(compared.comparison) + "\n");
  write_hunks(terminal, compared.comparison);
}

std::string file_title(const api::FileReport& file) {
  return fmt::format("{} from {}", shown(file.name), shown(file.holder));
}

void write_report(const Terminal& terminal, const api::ChangeReport& report) {
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
      terminal.write(terminal.toned(fmt::format("partial    {}: {}", file_title(file),
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
  if (unchanged > 0)
    terminal.write(fmt::format("unchanged  {}\n",
                               counted(static_cast<std::uint64_t>(unchanged), "file")));
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

Done write_file(const std::string& file, const std::string& text, bool force) {
  const base::UniqueFd to(::open(
      file.c_str(), O_WRONLY | O_CREAT | O_CLOEXEC | (force ? O_TRUNC : O_EXCL), 0600));
  if (!to) return file_failure(file, errno);
  if (!base::write_all(to.get(), base::as_bytes(text))) return file_failure(file, errno);
  return {};
}

Done show_overdue(const Context& context) {
  const auto answer = context.api.call(api::kBackupOverdue);
  auto done = show_answer(
      context, answer, [](const Terminal& terminal, const api::Overdue& told) {
        Table table({{"DEVICE"}, {"SITE"}, {"BACKUP"}});
        for (const auto& one : told.overdue) {
          table.add({{one.device}, {one.site}, {expected_text(one), Tone::kBad}});
        }
        const auto expected = told.expected_of;
        write_or(
            table, terminal,
            expected == 0
                ? "No backups are expected of any device; set it with 'vantro device "
                  "change DEVICE --backup-every daily', or for a whole site with "
                  "'vantro site change SITE --backup-every daily'"
                : fmt::format("No backup is overdue; {} expected", expected));
      });
  if (!done) return done;
  if (!answer->value.overdue.empty()) {
    return tl::unexpected(Failure{ExitCode::kOverdue, ""});
  }
  return {};
}

Done compare_with_file(const Context& context, const CompareOptions& options) {
  const auto& asked = options.asked;
  const auto text = read_text(options.file);
  if (!text) return tl::unexpected(text.error());
  const api::CompareWithAsked revision{asked.holder, asked.name,
                                       asked.after ? asked.after : asked.before,
                                       asked.context, asked.secrets};
  return show_answer(
      context,
      context.api.call(api::kCompareBackupWith, revision,
                       {options.file, "", base::base64(base::as_bytes(*text))}),
      write_compared);
}

Done compare_backups(const Context& context, const CompareOptions& options) {
  auto with_revisions = options;
  auto& asked = with_revisions.asked;
  const auto& revisions = options.revisions;
  if (revisions.size() > 2) {
    return wrong_use("only two revisions can be compared: DEVICE FILE REVISION REVISION");
  }
  if (!revisions.empty()) asked.before = revisions.front();
  if (revisions.size() > 1) asked.after = revisions.back();
  if (!options.file.empty()) return compare_with_file(context, with_revisions);
  return show(context, api::kCompareBackups, asked, write_compared);
}

Done report_changes(const Context& context, const ReportOptions& options) {
  auto asked = options.asked;
  for (auto* time : {&asked.from, &asked.to}) {
    if (time->empty()) continue;
    auto iso = past_iso(context, *time);
    if (!iso) return tl::unexpected(iso.error());
    *time = std::move(*iso);
  }
  const auto answer = context.api.call(api::kBackupReport, asked);
  if (!options.html || !answer) return show_answer(context, answer, write_report);
  if (options.out.empty()) return wrong_use("--html needs --out FILE");
  const auto done = write_file(options.out, report_page(answer->value), options.force);
  if (!done) return done;
  return show_answer(
      context, answer, [&](const Terminal& terminal, const api::ChangeReport& report) {
        const auto changed =
            std::count_if(report.files.begin(), report.files.end(),
                          [](const auto& one) { return one.what == "changed"; });
        terminal.write(fmt::format("{}: {} changed from {} to {}\n", options.out,
                                   counted(static_cast<std::uint64_t>(changed), "file"),
                                   shown_time(report.from), shown_time(report.to)));
      });
}

}  // namespace

void backup_report_commands(const Command& backup) {
  {
    auto& o = backup.keep<CompareOptions>();
    const auto compare =
        backup.add("compare", "Show what changed: the newest revision and the one before",
                   [&o](const Context& c) { return compare_backups(c, o); });
    compare.value("DEVICE", o.asked.holder, "Device that sent it").required();
    compare.value("NAME", o.asked.name,
                  "File, as the device named it (default: its only configuration)");
    compare
        .value("REVISION", o.revisions,
               "One: compare it with the newest; two: compare them")
        .several()
        .range(1, INT64_MAX);
    const auto to = compare.value("--with-device", o.asked.other,
                                  "Compare with the newest revision of another device");
    compare.value("--with-file", o.asked.other_name, "File of that device").needs(to);
    compare.value("--with", o.file, "Compare with a local file").excludes(to);
    context_value(compare, o.asked.context);
    secrets_flag(compare, o.asked.secrets);
    compare.example("backup compare tidegate-rtr")
        .example("backup compare tidegate-rtr tidegate-rtr.cfg 3 5")
        .example("backup compare tidegate-rtr --with golden.cfg")
        .related({"backup report", "backup revisions"});
  }
  {
    auto& o = backup.keep<ReportOptions>();
    const auto report =
        backup.add("report", "Show all changes of a day or of a change window",
                   [&o](const Context& c) { return report_changes(c, o); });
    report.value("--from", o.asked.from, "Beginning of the time (default: a day ago)");
    report.value("--until", o.asked.to, "End of the time (default: now)");
    const auto html = report.flag("--html", o.html, "A page, with --out");
    const auto out = report.value("--out", o.out, "Local file to write").needs(html);
    report.flag("--force", o.force, "Overwrite a file that exists").needs(out);
    context_value(report, o.asked.context);
    secrets_flag(report, o.asked.secrets);
    report.example("backup report --from 22:00 --until 06:00")
        .example("backup report --from yesterday --html --out changes.html")
        .related({"backup compare", "ledger"});
  }
  backup.add("overdue", "List devices whose backup is late", show_overdue)
      .shows_list()
      .example("backup overdue")
      .related({"device change", "site change"})
      .exit_codes("8 there are any");
}

}  // namespace vantro::client
