#include "client/care.h"

#include <chrono>
#include <fmt/format.h>
#include <thread>

#include "api/service.h"
#include "base/clock.h"
#include "base/sizes.h"
#include "client/interrupt.h"
#include "client/progress.h"
#include "client/render.h"

namespace vantro::client {
namespace {

using Align = Table::Align;

constexpr std::chrono::milliseconds kPause{500};

std::string value_text(const std::string& value) {
  return value.empty() ? "none" : shown(value, 80);
}

void write_changes(const Terminal& terminal, const std::string& title,
                   const std::vector<api::SettingChange>& changes) {
  if (changes.empty()) return;
  terminal.write(title + "\n");
  for (const auto& one : changes) {
    terminal.write(fmt::format("  {}: {} -> {}\n", one.name, value_text(one.before),
                               value_text(one.after)));
  }
}

Done reload(const Context& context, bool dry_run) {
  const auto answer = context.api.call(api::kReload, {}, {dry_run});
  const auto done = show_answer(
      context, answer, [](const Terminal& terminal, const api::Reloaded& reloaded) {
        write_changes(terminal,
                      reloaded.dry_run ? "A reload changes:" : "Changed:", reloaded.now);
        for (const auto& one : reloaded.certificates) {
          terminal.write("Certificate replaced: " + shown(one) + "\n");
        }
        write_changes(terminal, "These take effect when vantrod is restarted:",
                      reloaded.at_restart);
        for (const auto& one : reloaded.failures) {
          terminal.write(
              terminal.toned("Not taken over: " + shown(one, 500), Tone::kBad) + "\n");
        }
        if (reloaded.now.empty() && reloaded.certificates.empty()) {
          terminal.write(reloaded.dry_run ? "A reload changes nothing.\n"
                                          : "Nothing has changed.\n");
        }
      });
  if (!done || answer->value.failures.empty()) return done;
  return tl::unexpected(Failure{ExitCode::kRefused, ""});
}

struct DrainOptions {
  std::string time = "10m";
  std::string reason;
  bool undo = false;
  bool start_only = false;
};

void write_waits(const Terminal& terminal, const api::Drain& drain) {
  Table table({{"DEVICE"},
               {"NAME"},
               {"DIRECTION", Table::Align::kLeft, 1},
               {"BYTES", Table::Align::kRight, 2},
               {"LEFT"}});
  for (const auto& one : drain.waits_for) {
    table.add({{one.who},
               {one.name},
               {one.direction},
               {base::size_text(one.bytes)},
               {one.left}});
  }
  if (!table.empty()) table.write(terminal);
}

void write_drain(const Terminal& terminal, const api::Drain& drain) {
  if (!drain.draining) {
    terminal.write(
        fmt::format("New transfers are accepted; {} running.\n", drain.waits_for.size()));
    return;
  }
  terminal.write(
      fmt::format("No new transfers until {}{}; {} requests were told to come "
                  "again.\n",
                  shown_time(drain.until),
                  drain.reason.empty() ? "" : ": " + shown(drain.reason), drain.refused));
  write_waits(terminal, drain);
  if (drain.idle) {
    terminal.write(
        terminal.toned("Nothing runs: the server can be stopped now.", Tone::kGood) +
        " 'vantro drain --undo' accepts new transfers again.\n");
  } else if (drain.waits_for.empty()) {
    terminal.write("A device may still ask for its next file.\n");
  }
}

Result<api::DrainWanted> wanted_drain(const DrainOptions& options) {
  const auto seconds = time_until(options.time);
  if (!seconds) return tl::unexpected(seconds.error());
  const auto minutes = (*seconds + 59) / 60;
  if (minutes > 24 * 60) {
    return wrong_use(
        fmt::format("--until: '{}' is more than 24 hours ahead", shown(options.time)));
  }
  return api::DrainWanted{minutes, options.reason};
}

Done drain(const Context& context, const DrainOptions& options) {
  if (options.undo) {
    return show(context, api::kEndDrain, {}, write_drain);
  }
  const auto wanted = wanted_drain(options);
  if (!wanted) return tl::unexpected(wanted.error());
  auto answer = context.api.call(api::kBeginDrain, {}, *wanted);
  if (!answer) return tl::unexpected(answer.error());
  if (options.start_only || answer->value.idle) {
    return show_answer(context, answer, write_drain);
  }
  notice_interrupts();
  const Terminal terminal(stdout);
  std::size_t told = 0;
  while (answer && answer->value.draining && !answer->value.idle && !interrupted()) {
    // Each finished one shows that it goes on.
    const auto waits = answer->value.waits_for.size();
    if (!context.json && waits != told) {
      write_waits(terminal, answer->value);
      told = waits;
    }
    std::this_thread::sleep_for(kPause);
    answer = context.api.call(api::kDrain);
  }
  if (!answer) return tl::unexpected(answer.error());
  const auto done = show_answer(context, answer, write_drain);
  if (!done || answer->value.idle) return done;
  return tl::unexpected(
      Failure{ExitCode::kRefused, answer->value.draining
                                      ? "transfers still run, and the server goes on "
                                        "draining; 'vantro drain --undo' ends it"
                                      : "the time was over before all transfers had "
                                        "ended; new ones are accepted again"});
}

struct SnapshotOptions {
  std::string path;
  bool stop = false;
  bool start_only = false;
};

void write_snapshot(const Terminal& terminal, const api::Snapshot& snapshot) {
  if (snapshot.state == "none") {
    terminal.write(
        "No snapshot was made since the server's start. Make one with: vantro "
        "snapshot NAME\n");
    return;
  }
  if (snapshot.state == "failed") {
    terminal.write(
        terminal.toned(fmt::format("The snapshot in {} failed: {}\n",
                                   shown(snapshot.path, 400), shown(snapshot.why, 600)),
                       Tone::kBad));
    return;
  }
  if (snapshot.state != "complete") {
    terminal.write(fmt::format(
        "A snapshot is being made in {}: {} of {} files, {} of "
        "{}\n",
        shown(snapshot.path, 400), snapshot.files_done, snapshot.files,
        base::size_text(snapshot.bytes_done), base::size_text(snapshot.bytes)));
    return;
  }
  terminal.write(fmt::format("{}: {}, {}", shown(snapshot.path, 400),
                             counted(snapshot.files, "file"),
                             base::size_text(snapshot.bytes)));
  if (snapshot.linked > 0) {
    terminal.write(fmt::format("; {} share their bytes with the vault", snapshot.linked));
  }
  if (snapshot.kept > 0) {
    terminal.write(fmt::format("; {} were in it already", snapshot.kept));
  }
  terminal.write("\n");
  const bool archive = snapshot.path.ends_with(".tar");
  terminal.write(fmt::format(
      "{}Restore it with: vantrod --restore {}\n",
      archive ? ""
              : fmt::format("Check it with: cd {} && sha256sum -c SHA256SUMS\n",
                            shown(snapshot.path, 400)),
      shown(snapshot.path, 400)));
}

Done snapshot(const Context& context, const SnapshotOptions& options) {
  Result<Answered<api::Snapshot>> answer;
  if (options.stop) {
    answer = context.api.call(api::kEndSnapshot);
  } else if (options.path.empty()) {
    answer = context.api.call(api::kSnapshot);
  } else {
    answer = context.api.call(api::kBeginSnapshot, {}, {options.path});
    std::optional<Progress> bar;
    const auto runs = [&] {
      return answer &&
             (answer->value.state == "database" || answer->value.state == "contents");
    };
    notice_interrupts();
    while (!options.start_only && runs() && !interrupted()) {
      if (!bar && answer->value.bytes > 0)
        bar.emplace(context.view, "copying", answer->value.bytes);
      if (bar) bar->advance(answer->value.bytes_done);
      std::this_thread::sleep_for(kPause / 2);
      answer = context.api.call(api::kSnapshot);
    }
    if (interrupted() && runs()) {
      bar.reset();
      Terminal(stderr).write(
          "The server goes on copying; 'vantro snapshot' shows the progress, 'vantro "
          "snapshot --stop' stops it.\n");
    }
  }
  const auto done = show_answer(context, answer, write_snapshot);
  if (!done || answer->value.state != "failed") return done;
  return tl::unexpected(Failure{ExitCode::kRefused, ""});
}

Done list_notices(const Context& context) {
  return show(
      context, api::kNotices, {},
      [](const Terminal& terminal, const api::NoticeState& state) {
        Table receivers({{"RECEIVER"},
                         {"WAY", Table::Align::kLeft, 2},
                         {"TO", Table::Align::kLeft, 1},
                         {"SENT", Table::Align::kRight, 3},
                         {"WAITING", Table::Align::kRight},
                         {"LAST TAKEN", Table::Align::kLeft, 1},
                         {"LAST FAILURE"}});
        for (const auto& one : state.receivers) {
          receivers.add({{one.name},
                         {one.way},
                         {one.to},
                         {std::to_string(one.sent)},
                         {std::to_string(one.waiting)},
                         {one.last_sent_at.empty() ? "" : shown_time(one.last_sent_at)},
                         {shown(one.failure, 200), Tone::kBad}});
        }
        write_or(receivers, terminal,
                 "No receivers of notices; name them in the settings, [[notice]]");
        Table standing({{"SINCE"}, {"EVENT"}, {"WHICH"}, {"WHAT"}});
        for (const auto& one : state.standing) {
          standing.add({{shown_time(one.since)},
                        {one.event, Tone::kBad},
                        {one.subject},
                        {shown(one.sentence, 300)}});
        }
        write_or(standing, terminal, "No open events.");
      });
}

Done test_notices(const Context& context, const std::string& receiver) {
  const auto answer = context.api.call(api::kTestNotices, {}, {receiver});
  bool all = true;
  const auto done = show_answer(
      context, answer, [](const Terminal& terminal, const api::NoticeTestResult& result) {
        for (const auto& one : result.results) {
          terminal.write(fmt::format(
              "{}: {}\n", shown(one.receiver),
              terminal.toned((one.ok ? "" : "failed: ") + shown(one.answer, 300),
                             one.ok ? Tone::kGood : Tone::kBad)));
        }
      });
  if (!done) return done;
  for (const auto& one : answer->value.results) all = all && one.ok;
  if (all) return {};
  return tl::unexpected(Failure{ExitCode::kRefused, ""});
}

}  // namespace

void care_commands(const Command& top) {
  {
    auto& dry_run = top.keep<bool>();
    const auto command =
        top.add("reload", "Read the settings and certificates again",
                [&dry_run](const Context& c) { return reload(c, dry_run); });
    command.flag("--dry-run", dry_run, "Only show what would change");
    command.example("reload --dry-run").related({"status", "drain"});
  }
  {
    auto& o = top.keep<DrainOptions>();
    const auto command = top.add(
        "drain", "Accept no new transfers, and wait until the running ones have ended",
        [&o](const Context& c) { return drain(c, o); });
    command.value("--until", o.time, "Accept new transfers again at this time")
        .show_default();
    command.value("--reason", o.reason, "Reason that devices are told");
    command.flag("--undo", o.undo, "Take new transfers again");
    command.flag("--start-only", o.start_only, "Start it and return at once");
    command.example("drain --until 30m --reason \"disk change\"")
        .example("drain --undo")
        .related({"status", "watch"});
  }
  {
    auto& o = top.keep<SnapshotOptions>();
    const auto command =
        top.add("snapshot", "Copy everything that is kept, while the server runs",
                [&o](const Context& c) { return snapshot(c, o); });
    command.value(
        "PATH", o.path,
        "Folder, or file that ends in .tar, on the server, below its folder for "
        "snapshots (default: show the last one)");
    command.flag("--stop", o.stop, "Stop the one that is being made");
    command.flag("--start-only", o.start_only, "Start it and return at once");
    command.example("snapshot nightly").related({"status"});
  }
  const auto notice = top.group("notice", "Manage who is told when something goes wrong");
  notice.add("list", "List receivers of notices and open events", list_notices)
      .shows_list()
      .example("notice list")
      .related({"status"});
  {
    auto& receiver = notice.keep<std::string>();
    const auto test =
        notice.add("test", "Send a notice that is only a test",
                   [&receiver](const Context& c) { return test_notices(c, receiver); });
    test.value("RECEIVER", receiver, "Only to this receiver");
    test.example("notice test")
        .related({"notice list"})
        .exit_codes("1 a receiver did not accept it");
  }
}

}  // namespace vantro::client
