#include "client/jobs.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>

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

Result<api::JobWanted> with_times(api::JobWanted wanted) {
  for (auto* time : {&wanted.window_from, &wanted.window_until}) {
    if (time->empty()) continue;
    auto iso = iso_of(*time);
    if (!iso) return tl::unexpected(iso.error());
    *time = std::move(*iso);
  }
  return wanted;
}

Done plan_job(const Context& context, const api::JobWanted& options) {
  const auto wanted = with_times(options);
  if (!wanted) return tl::unexpected(wanted.error());
  return show_answer(context, context.api.call(api::kPlanJob, {}, *wanted), write_job);
}

Done list_jobs(const Context& context, const api::JobsAsked& options, bool all) {
  auto asked = options;
  if (!all && asked.state.empty()) asked.state = "open";
  return show(
      context, api::kJobs, asked, [](const Terminal& terminal, const api::JobList& list) {
        Table table({{"DEVICE"},
                     {"AIM"},
                     {"HAS IT"},
                     {"STAGE"},
                     {"SINCE", Align::kRight},
                     {"WAITS FOR; WHAT NOT TO DO"}});
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
        write_or(table, terminal,
                 "No jobs. Plan one with 'vantro job plan DEVICE --to IMAGE'.");
        if (list.more) {
          terminal.write(
              "There are more; 'vantro rollout show NAME' lists those of a "
              "rollout.\n");
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
                       // The values stand out, to be copied one by one.
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
  if (!rollout.done) terminal.write("Nothing was planned; this is what would be.\n");
  if (!rollout.rows.empty()) {
    // A line for each site, to be read at a glance.
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
    auto iso = iso_of(*time);
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
                     {"OPEN", Align::kRight},
                     {"CONFIRMED", Align::kRight},
                     {"FAILED", Align::kRight},
                     {"PLANNED BY"}});
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
                 "No rollouts. Plan one with 'vantro rollout plan NAME --devices "
                 "\"site=Heron\" --to IMAGE'.");
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

Done show_rollout(const Context& context, const std::string& name, bool csv) {
  if (!csv) return show(context, api::kRollout, {name}, write_rollout);
  if (context.json) return wrong_use("--csv and --json are two forms; give one");
  const Terminal terminal(stdout);
  return context.api.download(api::kRolloutTable.target({name}),
                              [&](base::ByteView bytes) {
                                terminal.write(base::as_text(bytes));
                                return true;
                              });
}

template <class T>
void plan_values(const Command& command, T& wanted) {
  command.value("--to", wanted.image, "The image or kit to install").required();
  command.value("--purpose", wanted.purpose,
                "upgrade, downgrade, convert, recover (default: by the versions)");
  command.value("--slot", wanted.slot, "The slot to write");
  command.value("--from", wanted.window_from, "Beginning of the change window");
  command.value("--until", wanted.window_until, "End of the change window");
  command.value("--remark", wanted.remark, "What to say of it");
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
    command.value("DEVICE", o.device, "Its name or address").required();
    command.value("--to", o.image,
                  "The image or kit to install (default: as its open job has it)");
    command.value("--over", o.over, "Only these protocols (comma-separated)");
    command.value("--account", o.account, "As the device logs in");
  }
  const auto job = top.group("job", "Planned changes, one device each");
  {
    auto& o = job.keep<api::JobWanted>();
    const auto plan = job.add("plan", "Plan a change; its steps follow the route",
                              [&o](const Context& c) { return plan_job(c, o); });
    plan.value("DEVICE", o.device, "Its name or address").required();
    plan_values(plan, o);
    plan.value("--as", o.offer_as,
               "Offer the image to this device under the name it insists on");
  }
  {
    struct Which {
      api::JobsAsked asked;
      bool all = false;
    };
    auto& o = job.keep<Which>();
    const auto list =
        job.add("list", "Show who waits for what, and what not to do now",
                [&o](const Context& c) { return list_jobs(c, o.asked, o.all); });
    list.flag("--all", o.all, "Show ended ones as well");
    list.value("--state", o.asked.state, "open, confirmed, failed, withdrawn");
  }
  const auto named = [&](const char* name, const char* about, auto run) {
    auto& device = job.keep<std::string>();
    job.add(name, about, [&device, run](const Context& c) { return run(c, device); })
        .value("DEVICE", device, "Its name or address")
        .required();
  };
  named("show", "Show one job with all that happened", show_job);
  named("take", "Take a colleague's job over",
        [](const Context& c, const std::string& d) {
          return show(c, api::kTakeJob, {d}, write_job);
        });
  named("acknowledge", "Say that the remarks of its images were read",
        [](const Context& c, const std::string& d) {
          return show(c, api::kAcknowledgeJob, {d}, write_job);
        });
  {
    struct One {
      std::string device;
      api::JobMarkWanted mark;
    };
    auto& o = job.keep<One>();
    const auto mark =
        job.add("mark", "Report what the server can't see",
                [&o](const Context& c) { return mark_job(c, o.device, o.mark); });
    mark.value("DEVICE", o.device, "Its name or address").required();
    mark.value("MARK", o.mark.mark, "written, next, running, confirmed or failed")
        .required();
    mark.value("--remark", o.mark.remark, "What to say of it");
  }
  {
    auto& o = job.keep<api::JobEnd>();
    const auto withdraw = job.add("withdraw", "End a job; the offers made for it end",
                                  [&o](const Context& c) { return withdraw_job(c, o); });
    withdraw.value("DEVICE", o.device, "Its name or address").required();
    withdraw.value("--reason", o.reason, "Why");
  }
  {
    auto& o = job.keep<JobWatch>();
    const auto watch = job.add("watch", "Follow one job, stage by stage, in large words",
                               [&o](const Context& c) { return watch_job(c, o); });
    watch.value("DEVICE", o.device, "Its name or address").required();
    watch.flag("--ping", o.ping, "Say when the device answers pings from here");
    watch.value("--tcp", o.tcp_port, "Say when the device accepts TCP on this port")
        .range(1, 65535);
    watch.value("--seconds", o.seconds, "End after this time").positive();
  }
  {
    struct One {
      api::SheetAsked asked;
      bool text = false, html = false;
      std::string to;
    };
    auto& o = job.keep<One>();
    const auto sheet = job.add(
        "sheet", "Show the values to type on the device, in their order",
        [&o](const Context& c) { return write_sheet(c, o.asked, o.text, o.html, o.to); });
    sheet.value("DEVICE", o.asked.device, "Its name or address").required();
    sheet.value("--form", o.asked.form,
                "running, boot-prompt or maintenance (default: running)");
    sheet.value("--over", o.asked.over, "The protocol to use");
    sheet.value("--account", o.asked.account, "As the device logs in");
    const auto text = sheet.flag("--text", o.text, "Plain text");
    sheet.flag("--html", o.html, "A page to print").excludes(text);
    sheet.value("--out", o.to, "Write it to this file");
  }
  const auto rollout = top.group("rollout", "The same change for many devices");
  {
    auto& o = rollout.keep<api::RolloutWanted>();
    auto& dry_run = rollout.keep<bool>();
    const auto plan = rollout.add("plan", "Plan jobs for many devices, in batches",
                                  [&o, &dry_run](const Context& c) {
                                    auto wanted = o;
                                    wanted.really = !dry_run;
                                    return plan_rollout(c, wanted);
                                  });
    plan.value("NAME", o.name, "Its name").required();
    plan.value("--devices", o.devices,
               "\"site=Heron,platform=lattice24\", or names of devices")
        .required();
    plan_values(plan, o);
    plan.value("--batch", o.batch, "Devices in each batch")
        .range(1, 100'000)
        .show_default();
    plan.value("--stop-after", o.stop_after, "Stop after this many failures")
        .range(1, 100'000)
        .show_default();
    plan.flag("--dry-run", dry_run, "Only say what would be planned");
  }
  rollout.add("list", "Show all rollouts", list_rollouts);
  struct Shown {
    std::string name, text;
    bool csv = false;
  };
  {
    auto& o = rollout.keep<Shown>();
    const auto show =
        rollout.add("show", "Show one by site and device",
                    [&o](const Context& c) { return show_rollout(c, o.name, o.csv); });
    show.value("NAME", o.name, "Its name").required();
    show.flag("--csv", o.csv, "Its devices as a table for spreadsheets");
  }
  {
    auto& name = rollout.keep<std::string>();
    rollout
        .add("ready", "Check every device of its open jobs",
             [&name](const Context& c) { return rollout_ready(c, name); })
        .value("NAME", name, "Its name")
        .required();
  }
  {
    auto& o = rollout.keep<Shown>();
    const auto go_on =
        rollout.add("continue", "Let it go on after failures", [&o](const Context& c) {
          return show_answer(c, c.api.call(api::kContinueRollout, {o.name}, {o.text}),
                             write_rollout);
        });
    go_on.value("NAME", o.name, "Its name").required();
    go_on.value("--remark", o.text, "What to say of it");
  }
  {
    auto& o = rollout.keep<Shown>();
    const auto withdraw =
        rollout.add("withdraw", "End it with its open jobs", [&o](const Context& c) {
          return show(c, api::kWithdrawRollout, {o.name, o.text}, write_rollout);
        });
    withdraw.value("NAME", o.name, "Its name").required();
    withdraw.value("--reason", o.text, "Why");
  }
}

}  // namespace vantro::client
