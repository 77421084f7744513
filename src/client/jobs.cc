#include "client/jobs.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>

#include "base/clock.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "base/whole_file.h"
#include "client/answers.h"
#include "client/render.h"

namespace vantro::client {
namespace {

using Align = Table::Align;

std::string ago(const std::string& iso) {
  const auto now = base::SystemClock{}.wall();
  const auto at = base::parse_iso_time(iso).value_or(now);
  return base::duration_text(static_cast<double>(std::max<std::int64_t>(0, now - at)) /
                             1000);
}

Tone tone_of_job(const api::Job& job) {
  if (job.state == "confirmed") return Tone::kGood;
  if (job.state == "failed") return Tone::kBad;
  if (job.stage == "stopped" || job.stage == "not ready") return Tone::kBad;
  return job.state == "open" ? Tone::kPlain : Tone::kFaint;
}

// -- Readiness --

void write_readiness(const Terminal& terminal, const api::Readiness& ready) {
  terminal.write(fmt::format(
      "{} for {}{}: {}\n", terminal.toned(shown(ready.device), Tone::kHead),
      shown(ready.aim), ready.for_the_job ? " (its job)" : "",
      terminal.toned(shown(ready.sentence, 600), tone_of_verdict(ready.verdict))));
  Table table({{"CHECK"}, {"RESULT"}, {"FACT, AND WHAT TO DO"}});
  for (const auto& one : ready.checks) {
    table.add(
        {{one.name},
         {one.verdict, tone_of_verdict(one.verdict)},
         {one.advice.empty() ? one.fact : fmt::format("{}; {}", one.fact, one.advice)}});
  }
  table.write(terminal);
}

Done ready(const Context& context, const api::ReadinessAsked& asked) {
  const auto answer = context.api.call(api::kReadiness, {}, asked);
  auto done = show_answer(context, answer, write_readiness);
  if (!done) return done;
  if (answer->value.verdict != "stop") return {};
  return tl::unexpected(Failure{ExitCode::kRefused, ""});
}

// -- Jobs --

void write_job(const Terminal& terminal, const api::Job& job) {
  terminal.write(fmt::format("{}: {} to {}\n",
                             terminal.toned(shown(job.device), Tone::kHead), job.purpose,
                             shown(job.aim)));
  const auto line = [&](const char* label, const std::string& text) {
    if (!text.empty()) {
      terminal.write(fmt::format("  {:<13}{}\n", label, shown(text, 1000)));
    }
  };
  line("stage", job.stage);
  line("waits for", job.waits_for);
  if (!job.caution.empty()) {
    terminal.write(
        terminal.toned("  CAUTION      " + shown(job.caution, 600), Tone::kBad) + "\n");
  }
  line("planned",
       fmt::format("by {}, {}{}", job.planned_by, shown_time(job.planned_at),
                   job.owner == job.planned_by ? "" : ", has it now: " + job.owner));
  line("from", job.from_version);
  line("slot", job.slot);
  if (!job.window_from.empty() || !job.window_until.empty()) {
    line("window",
         fmt::format(
             "{} to {}", job.window_from.empty() ? "now" : shown_time(job.window_from),
             job.window_until.empty() ? "open end" : shown_time(job.window_until)));
  }
  if (!job.rollout.empty()) {
    line("rollout", fmt::format("{}, batch {}", job.rollout, job.batch));
  }
  line("remark", job.remark);
  Table table({{"STEP", Align::kRight}, {"IMAGE"}, {"VERSION"}, {"STAGE"}, {"WHY"}});
  for (const auto& one : job.images) {
    const bool at_hand = one.number == job.at_hand && job.state == "open";
    table.add(
        {{std::to_string(one.number)},
         {one.offered_as.empty() ? one.image
                                 : fmt::format("{} as {}", one.image, one.offered_as)},
         {one.role + " " + one.version},
         {one.passed ? "passed" : one.stage, one.stage == "running" || one.passed
                                                 ? Tone::kGood
                                             : at_hand ? Tone::kHead
                                                       : Tone::kPlain},
         {one.why}});
  }
  table.write(terminal);
  if (job.lines.empty()) return;
  terminal.write("What happened:\n");
  Table told({{"WHEN"}, {"BY"}, {"WHAT"}});
  for (const auto& one : job.lines) {
    told.add({{shown_time(one.at)},
              {one.by},
              {one.sentence, one.bad ? Tone::kBad : Tone::kPlain}});
  }
  told.write(terminal);
}

Result<api::JobWanted> with_times(const Context& context, api::JobWanted wanted) {
  for (auto* time : {&wanted.window_from, &wanted.window_until}) {
    if (time->empty()) continue;
    auto iso = iso_of(context, *time);
    if (!iso) return tl::unexpected(iso.error());
    *time = std::move(*iso);
  }
  return wanted;
}

Done plan_job(const Context& context, const api::JobWanted& options) {
  const auto wanted = with_times(context, options);
  if (!wanted) return tl::unexpected(wanted.error());
  return show_answer(context, context.api.call(api::kPlanJob, {}, *wanted), write_job);
}

Done list_jobs(const Context& context, const api::JobsAsked& options, bool all) {
  auto asked = options;
  if (!all && asked.state.empty()) asked.state = "open";
  auto if_empty = asked.state.empty()
                      ? std::string("No jobs.")
                      : fmt::format("No {} jobs; 'vantro job list --all' shows all.",
                                    shown(asked.state, 40));
  if_empty += " Plan one with 'vantro job add DEVICE --image IMAGE'.";
  return show(
      context, api::kJobs, asked,
      [&](const Terminal& terminal, const api::JobList& list) {
        Table table({{"DEVICE"},
                     {"AIM"},
                     {"OWNER", Table::Align::kLeft, 2},
                     {"STAGE"},
                     {"SINCE", Table::Align::kRight, 1},
                     {"WAITS FOR"}});
        for (const auto& one : list.jobs) {
          table.add({{one.device, Tone::kHead},
                     {one.aim},
                     {one.owner},
                     {one.stage, tone_of_job(one)},
                     {one.since.empty() ? "" : ago(one.since)},
                     {one.waits_for}});
          if (!one.caution.empty()) {
            table.add({{}, {}, {}, {}, {}, {"CAUTION: " + one.caution, Tone::kBad}});
          }
        }
        write_or(table, terminal, if_empty);
        if (list.more) {
          terminal.write(
              "More jobs exist; 'vantro rollout info NAME' lists those of a rollout.\n");
        }
      });
}

Done show_job(const Context& context, const std::string& device) {
  return show(context, api::kJob, {device}, write_job);
}

Done withdraw_job(const Context& context, const api::JobEnd& asked) {
  return show(context, api::kWithdrawJob, asked, write_job);
}

Done mark_job(const Context& context, const std::string& device,
              const api::JobMarkWanted& mark) {
  return show_answer(context, context.api.call(api::kMarkJob, {device}, mark), write_job);
}

Done write_sheet(const Context& context, const api::SheetAsked& asked, bool text,
                 bool html, const std::string& to) {
  const auto answer = context.api.call(api::kJobSheet, asked);
  if (!answer) return tl::unexpected(answer.error());
  const auto& sheet = answer->value;
  if (!to.empty()) {
    const auto written = base::write_whole_file(to, html ? sheet.html : sheet.text);
    if (!written) {
      return tl::unexpected(Failure{ExitCode::kFile, written.error().sentence});
    }
    if (!context.json) {
      Terminal(stdout).write(fmt::format("written to {}\n", shown(to, 4000)));
      return {};
    }
  }
  return show_answer(context, answer,
                     [&](const Terminal& terminal, const api::Sheet& one) {
                       if (html) {
                         terminal.write(one.html);
                         return;
                       }
                       if (text || !terminal.is_terminal()) {
                         terminal.write(one.text);
                         return;
                       }
                       // The values stand out, for copying one by one.
                       auto rest = one.text;
                       for (const auto& value : one.values) {
                         const auto at = rest.find(value.value);
                         if (at == std::string::npos) continue;
                         terminal.write(rest.substr(0, at));
                         terminal.write(terminal.toned(value.value, Tone::kHead));
                         rest.erase(0, at + value.value.size());
                       }
                       terminal.write(rest);
                     });
}

// -- Rollouts --

void write_rollout(const Terminal& terminal, const api::Rollout& rollout) {
  terminal.write(fmt::format(
      "{}: {}; {}\n", terminal.toned(shown(rollout.name), Tone::kHead),
      shown(rollout.aim),
      terminal.toned(shown(rollout.sentence, 400),
                     rollout.state == "stopped" ? Tone::kBad : Tone::kPlain)));
  if (!rollout.done) terminal.write("Nothing was planned; this would be:\n");
  if (!rollout.rows.empty()) {
    // One line for each site, to read at a glance.
    struct Counts {
      std::size_t open = 0, confirmed = 0, failed = 0, withdrawn = 0;
    };
    std::map<std::string, Counts> sites;
    for (const auto& one : rollout.rows) {
      auto& counts = sites[one.site.empty() ? "(no site)" : one.site];
      ++(one.state == "confirmed"   ? counts.confirmed
         : one.state == "failed"    ? counts.failed
         : one.state == "withdrawn" ? counts.withdrawn
                                    : counts.open);
    }
    Table grid({{"SITE"},
                {"OPEN", Align::kRight},
                {"CONFIRMED", Align::kRight},
                {"FAILED", Align::kRight},
                {"WITHDRAWN", Align::kRight}});
    for (const auto& [site, counts] : sites) {
      grid.add(
          {{site},
           {std::to_string(counts.open)},
           {std::to_string(counts.confirmed),
            counts.confirmed > 0 ? Tone::kGood : Tone::kPlain},
           {std::to_string(counts.failed), counts.failed > 0 ? Tone::kBad : Tone::kPlain},
           {std::to_string(counts.withdrawn)}});
    }
    grid.write(terminal);
    terminal.write("\n");
    Table table({{"BATCH", Align::kRight},
                 {"DEVICE"},
                 {"SITE"},
                 {"STAGE"},
                 {"HAS IT"},
                 {"WAITS FOR"}});
    for (const auto& one : rollout.rows) {
      const auto tone = one.state == "confirmed" ? Tone::kGood
                        : one.state == "failed"  ? Tone::kBad
                                                 : Tone::kPlain;
      table.add({{std::to_string(one.batch)},
                 {one.device},
                 {one.site},
                 {one.stage, tone},
                 {one.owner},
                 {one.state == "open" ? one.waits_for : one.ended_why}});
    }
    table.write(terminal);
  }
  for (const auto& one : rollout.left_out) {
    terminal.write(terminal.toned("left out: " + shown(one, 600), Tone::kCaution) + "\n");
  }
}

Done plan_rollout(const Context& context, const api::RolloutWanted& options) {
  auto wanted = options;
  for (auto* time : {&wanted.window_from, &wanted.window_until}) {
    if (time->empty()) continue;
    auto iso = iso_of(context, *time);
    if (!iso) return tl::unexpected(iso.error());
    *time = std::move(*iso);
  }
  return show_answer(context, context.api.call(api::kPlanRollout, {}, wanted),
                     write_rollout);
}

Done list_rollouts(const Context& context) {
  return show(
      context, api::kRollouts, {},
      [](const Terminal& terminal, const api::RolloutList& all) {
        Table table({{"ROLLOUT"},
                     {"AIM"},
                     {"STATE"},
                     {"OPEN", Table::Align::kRight},
                     {"CONFIRMED", Table::Align::kRight},
                     {"FAILED", Table::Align::kRight},
                     {"PLANNED BY", Table::Align::kLeft, 1}});
        for (const auto& one : all.rollouts) {
          table.add({{one.name, Tone::kHead},
                     {one.aim},
                     {one.state, one.state == "stopped" ? Tone::kBad : Tone::kPlain},
                     {std::to_string(one.open)},
                     {std::to_string(one.confirmed)},
                     {std::to_string(one.failed)},
                     {one.planned_by}});
        }
        write_or(table, terminal,
                 "No rollouts. Plan one with 'vantro rollout add NAME --devices "
                 "\"site=Heron\" --image IMAGE'.");
      });
}

Done rollout_ready(const Context& context, const std::string& name) {
  const auto answer = context.api.call(api::kRolloutReadiness, {name});
  auto done = show_answer(
      context, answer, [](const Terminal& terminal, const api::RolloutReadiness& all) {
        Table table(
            {{"BATCH", Align::kRight}, {"DEVICE"}, {"RESULT"}, {"WHAT STOPS IT"}});
        for (const auto& one : all.devices) {
          table.add({{std::to_string(one.batch)},
                     {one.device, Tone::kHead},
                     {one.verdict, tone_of_verdict(one.verdict)},
                     {one.sentence}});
        }
        write_or(table, terminal, "It has no open jobs.");
        terminal.write(
            fmt::format("{} ready, {} stopped; 'vantro ready DEVICE' shows "
                        "every check\n",
                        all.ready, all.stopped));
      });
  if (!done || answer->value.stopped == 0) return done;
  return tl::unexpected(Failure{ExitCode::kRefused, ""});
}

Done show_rollout(const Context& context, const std::string& name) {
  if (!context.view.csv) return show(context, api::kRollout, {name}, write_rollout);
  const Terminal terminal(stdout);
  return context.api.download(api::kRolloutTable.target({name}),
                              [&](base::ByteView bytes) {
                                terminal.write(base::as_text(bytes));
                                return true;
                              });
}

template <class T>
void plan_values(const Command& command, T& wanted) {
  command.value("--image", wanted.image, "Image or kit to install").required();
  command.value("--purpose", wanted.purpose,
                "upgrade, downgrade, convert or recover (default: by the versions)");
  command.value("--slot", wanted.slot, "Slot to write");
  command.value("--from", wanted.window_from, "Beginning of the change window");
  command.value("--until", wanted.window_until, "End of the change window");
  command.value("--remark", wanted.remark, "What people should know");
  command.flag("--any-platform", wanted.any_platform,
               "Allow an image of another platform");
}

}  // namespace

Tone tone_of_verdict(const std::string& verdict) {
  if (verdict == "pass") return Tone::kGood;
  return verdict == "stop" ? Tone::kBad : Tone::kCaution;
}

void job_commands(const Command& top) {
  {
    auto& o = top.keep<api::ReadinessAsked>();
    const auto command =
        top.add("ready", "Check everything before the point of no return",
                [&o](const Context& c) { return ready(c, o); });
    command.value("DEVICE", o.device, "Device to check").required();
    command.value("--image", o.image,
                  "Image or kit to install (default: that of its open job)");
    command.value("--over", o.over, "Only these protocols");
    command.value("--account", o.account, "Account that the device logs in with");
    command.example("ready tidegate-rtr --image causeway4-system-7.6.0.img")
        .related({"job add", "route", "canary", "help jobs"})
        .exit_codes("1 a check says stop");
  }
  const auto job = top.group("job", "Manage planned changes, one device each");
  {
    auto& o = job.keep<api::JobWanted>();
    const auto add = job.add("add", "Plan a change; its steps follow the route",
                             [&o](const Context& c) { return plan_job(c, o); });
    add.value("DEVICE", o.device, "Device to change").required();
    plan_values(add, o);
    add.value("--name", o.offer_as,
              "Offer the image to this device under the name it insists on");
    add.example(
           "job add tidegate-rtr --image causeway4-system-7.6.0.img --from 22:00 --until "
           "\"tomorrow 02:00\"")
        .related({"ready", "job sheet", "rollout add"});
  }
  {
    struct Which {
      api::JobsAsked asked;
      bool all = false;
    };
    auto& o = job.keep<Which>();
    const auto list =
        job.add("list", "List who waits for what, and what not to do now",
                [&o](const Context& c) { return list_jobs(c, o.asked, o.all); });
    list.flag("--all", o.all, "Show ended jobs as well");
    list.value("--state", o.asked.state, "open, confirmed, failed or withdrawn");
    list.shows_list().example("job list").related({"job info", "rollout list"});
  }
  const auto named = [&](const char* name, const char* about, auto run) {
    auto& device = job.keep<std::string>();
    const auto command =
        job.add(name, about, [&device, run](const Context& c) { return run(c, device); });
    command.value("DEVICE", device, "Device of the job").required();
    command.example(fmt::format("job {} tidegate-rtr", name));
    return command;
  };
  named("info", "Show one job and its whole story", show_job)
      .related({"job list", "job watch"});
  named("take", "Take over a colleague's job",
        [](const Context& c, const std::string& d) {
          return show(c, api::kTakeJob, {d}, write_job);
        })
      .related({"job list"});
  named("acknowledge", "Say that you have read the remarks of its images",
        [](const Context& c, const std::string& d) {
          return show(c, api::kAcknowledgeJob, {d}, write_job);
        })
      .related({"ready"});
  {
    struct One {
      std::string device;
      api::JobMarkWanted mark;
    };
    auto& o = job.keep<One>();
    const auto mark =
        job.add("mark", "Report a step that the server cannot see",
                [&o](const Context& c) { return mark_job(c, o.device, o.mark); });
    mark.value("DEVICE", o.device, "Device of the job").required();
    mark.value("MARK", o.mark.mark, "written, next, running, confirmed or failed")
        .required();
    mark.value("--remark", o.mark.remark, "What people should know");
    mark.example("job mark tidegate-rtr running").related({"job watch", "job end"});
  }
  {
    auto& o = job.keep<api::JobEnd>();
    const auto end = job.add("end", "End a job now; the offers made for it end",
                             [&o](const Context& c) { return withdraw_job(c, o); });
    end.value("DEVICE", o.device, "Device of the job").required();
    end.value("--reason", o.reason, "Why");
    end.example("job end tidegate-rtr --reason \"window cancelled\"")
        .related({"job list"});
  }
  {
    auto& o = job.keep<JobWatch>();
    const auto watch =
        job.add("watch", "Follow one job, stage by stage, in large letters",
                [&o](const Context& c) { return watch_job(c, o); });
    watch.value("DEVICE", o.device, "Device of the job").required();
    watch.flag("--ping", o.ping, "Report when the device answers pings from here");
    watch.value("--tcp", o.tcp_port, "Report when the device accepts TCP on this port")
        .range(1, 65535);
    watch.value("--seconds", o.seconds, "End after this time").positive();
    watch.example("job watch tidegate-rtr --ping").related({"watch", "job mark"});
  }
  {
    struct One {
      api::SheetAsked asked;
      bool text = false, html = false;
      std::string out;
    };
    auto& o = job.keep<One>();
    const auto sheet =
        job.add("sheet", "Show the values to type on the device, in their order",
                [&o](const Context& c) {
                  return write_sheet(c, o.asked, o.text, o.html, o.out);
                });
    sheet.value("DEVICE", o.asked.device, "Device of the job").required();
    sheet.value("--form", o.asked.form,
                "running, boot-prompt or maintenance (default: running)");
    sheet.value("--over", o.asked.over, "Protocol to use");
    sheet.value("--account", o.asked.account, "Account that the device logs in with");
    const auto text = sheet.flag("--text", o.text, "Plain text");
    sheet.flag("--html", o.html, "A page to print").excludes(text);
    sheet.value("--out", o.out, "Local file to write");
    sheet.example("job sheet tidegate-rtr")
        .example("job sheet tidegate-rtr --html --out sheet.html")
        .related({"location", "job info"});
  }
  const auto rollout = top.group("rollout", "Manage the same change for many devices");
  {
    auto& o = rollout.keep<api::RolloutWanted>();
    auto& dry_run = rollout.keep<bool>();
    const auto add = rollout.add("add", "Plan jobs for many devices, in batches",
                                 [&o, &dry_run](const Context& c) {
                                   auto wanted = o;
                                   wanted.really = !dry_run;
                                   return plan_rollout(c, wanted);
                                 });
    add.value("NAME", o.name, "Name of the rollout").required();
    add.value("--devices", o.devices,
              "\"site=Heron,platform=lattice24\", or names of devices")
        .required();
    plan_values(add, o);
    add.value("--batch", o.batch, "Devices of a batch").range(1, 100'000).show_default();
    add.value("--stop-after", o.stop_after, "Stop after so many failures")
        .range(1, 100'000)
        .show_default();
    add.flag("--dry-run", dry_run, "Only show what would be planned");
    add.example(
           "rollout add autumn --devices site=Heron,platform=lattice24 --image "
           "lattice24-system-3.2.0.bin --dry-run")
        .related({"rollout info", "job add"});
  }
  rollout.add("list", "List all rollouts", list_rollouts)
      .shows_list()
      .example("rollout list")
      .related({"rollout info"});
  struct Shown {
    std::string name, text;
  };
  {
    auto& o = rollout.keep<Shown>();
    const auto info =
        rollout.add("info", "Show one rollout by site and device",
                    [&o](const Context& c) { return show_rollout(c, o.name); });
    info.value("NAME", o.name, "Name of the rollout").required();
    info.shows_list().example("rollout info autumn").related({"rollout ready"});
  }
  {
    auto& name = rollout.keep<std::string>();
    const auto ready =
        rollout.add("ready", "Check every device of its open jobs",
                    [&name](const Context& c) { return rollout_ready(c, name); });
    ready.value("NAME", name, "Name of the rollout").required();
    ready.shows_list().example("rollout ready autumn").related({"ready"});
  }
  {
    auto& o = rollout.keep<Shown>();
    const auto go_on =
        rollout.add("continue", "Go on after failures", [&o](const Context& c) {
          return show_answer(c, c.api.call(api::kContinueRollout, {o.name}, {o.text}),
                             write_rollout);
        });
    go_on.value("NAME", o.name, "Name of the rollout").required();
    go_on.value("--remark", o.text, "What people should know");
    go_on.example("rollout continue autumn --remark \"cause found\"")
        .related({"rollout info"});
  }
  {
    auto& o = rollout.keep<Shown>();
    const auto end = rollout.add(
        "end", "End a rollout now, with its open jobs", [&o](const Context& c) {
          return show(c, api::kWithdrawRollout, {o.name, o.text}, write_rollout);
        });
    end.value("NAME", o.name, "Name of the rollout").required();
    end.value("--reason", o.text, "Why");
    end.example("rollout end autumn --reason \"image withdrawn\"").related({"job end"});
  }
}

}  // namespace vantro::client
