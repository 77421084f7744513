#include "client/rescue.h"

#include <fmt/format.h>

#include "base/clock.h"
#include "base/sizes.h"
#include "client/jobs.h"
#include "client/render.h"

namespace vantro::client {
namespace {

using Align = Table::Align;

struct Open {
  api::RescueWanted wanted;
  std::string hold = "60m";
  std::string text_file;
  bool dry_run = false;
  bool follow = false;
};

Tone tone_of_line(const std::string& what) {
  if (what == "interrupted" || what == "refused") return Tone::kBad;
  return what == "loaded" || what == "back" ? Tone::kGood : Tone::kPlain;
}

void write_checks(const Terminal& terminal, const std::vector<api::ReadinessCheck>& all) {
  Table table({{"CHECK"}, {"RESULT"}, {"FACT, AND WHAT TO DO"}});
  for (const auto& one : all) {
    table.add(
        {{one.name},
         {one.verdict == "pass" ? "ok" : one.verdict, tone_of_verdict(one.verdict)},
         {one.advice.empty() ? one.fact : fmt::format("{}; {}", one.fact, one.advice)}});
  }
  table.write(terminal);
}

void write_opened(const Terminal& terminal, const api::RescueOpened& opened,
                  bool dry_run) {
  write_checks(terminal, opened.checks);
  if (opened.rescue) {
    terminal.write("\n");
    write_rescue(terminal, *opened.rescue);
    terminal.write(fmt::format(
        "Follow it with 'vantro rescue watch'; end it with 'vantro rescue end {}'.\n",
        opened.rescue->number));
    return;
  }
  std::size_t stops = 0;
  for (const auto& one : opened.checks) stops += one.verdict == "stop" ? 1 : 0;
  terminal.write(
      stops > 0
          ? terminal.toned(fmt::format("Not opened; {} to settle first.\n",
                                       stops == 1 ? std::string("1 check")
                                                  : fmt::format("{} checks", stops)),
                           Tone::kBad)
      : dry_run ? std::string("Everything is ready; nothing was opened.\n")
                : std::string());
}

Done open(const Context& context, Open options) {
  const auto length = time_until(options.hold);
  if (!length) return tl::unexpected(length.error());
  options.wanted.for_s = *length;
  options.wanted.really = !options.dry_run;
  if (!options.text_file.empty()) {
    auto text = read_text(options.text_file);
    if (!text) return tl::unexpected(text.error());
    options.wanted.text = std::move(*text);
  }
  const auto answer = context.api.call(api::kOpenRescue, {}, options.wanted);
  auto done = show_answer(context, answer,
                          [&](const Terminal& terminal, const api::RescueOpened& opened) {
                            write_opened(terminal, opened, options.dry_run);
                          });
  if (!done) return done;
  for (const auto& one : answer->value.checks) {
    if (one.verdict == "stop") return tl::unexpected(Failure{ExitCode::kRefused, ""});
  }
  if (!options.follow || !answer->value.rescue) return {};
  return watch_rescue(context, {answer->value.rescue->number, {}, false});
}

void write_undo(const Terminal& terminal, const api::Rescue& rescue) {
  if (rescue.undo.empty()) return;
  terminal.write("To put back on your own machine:\n");
  for (const auto& one : rescue.undo) terminal.write(fmt::format("  {}\n", shown(one)));
}

Done list(const Context& context) {
  return show(
      context, api::kRescues, {},
      [](const Terminal& terminal, const api::RescueList& all) {
        Table table({{"NUMBER", Table::Align::kRight},
                     {"DEVICE"},
                     {"INTERFACE", Table::Align::kLeft, 1},
                     {"PROFILE", Table::Align::kLeft, 2},
                     {"OPENED", Table::Align::kLeft, 3},
                     {"BY", Table::Align::kLeft, 4},
                     {"STAGE"},
                     {"ENDS"}});
        for (const auto& one : all.rescues) {
          const bool open = one.ended_at.empty();
          table.add(
              {{std::to_string(one.number)},
               {one.device},
               {one.node.empty() ? one.interface : fmt::format("{} of {}", one.interface, one.node)},
               {one.profile},
               {shown_time(one.opened_at)},
               {one.opened_by},
               {one.stage, open ? Tone::kHead : Tone::kFaint},
               {open ? shown_time(one.until)
                     : fmt::format("{}: {}", shown_time(one.ended_at), one.ended_why)}});
        }
        write_or(table, terminal,
                 "No rescue session was opened yet; 'vantro rescue open' opens "
                 "one.\n");
      });
}

void write_profile(const Terminal& terminal, const api::RescueProfile& profile) {
  terminal.write(fmt::format(
      "{}{}\n", terminal.toned(shown(profile.name), Tone::kHead),
      profile.platform.empty() ? std::string()
                               : fmt::format(" (platform {})", shown(profile.platform))));
  const auto line = [&](const char* label, const std::string& text) {
    if (!text.empty()) {
      terminal.write(fmt::format("  {:<12}{}\n", label, shown(text, 1000)));
    }
  };
  line("the device", profile.way == "asks" ? "asks for an address, and is told the file"
                     : profile.way == "calls" ? "calls a fixed server for a fixed name"
                                              : "waits until the image is sent to it");
  line("server", fmt::format("{} over {}", profile.server, profile.over));
  line("address", profile.device);
  for (const auto& one : profile.files) {
    auto text = fmt::format("'{}': ", one.name);
    if (one.gives == "image") {
      text += !one.image.empty() ? one.image
              : one.role.empty()
                  ? std::string("the newest image")
                  : fmt::format("the newest image of the role {}", one.role);
    } else {
      text += one.gives == "backup" ? "the device's newest backup" : "the text handed in";
    }
    if (!one.when_loaded.empty()) text += "; then " + one.when_loaded;
    if (!one.takes.empty()) text += "; then silent for " + one.takes;
    line("file", text);
  }
  line("to begin", profile.begin);
  line("it shows", profile.shows);
  if (!profile.afterwards.empty()) {
    line("afterwards",
         profile.check.empty()
             ? profile.afterwards
             : fmt::format("{}, looked at by {}", profile.afterwards, profile.check));
  }
}

Done profiles(const Context& context) {
  return show(
      context, api::kRescueProfiles, {},
      [](const Terminal& terminal, const api::RescueProfileList& all) {
        if (all.profiles.empty()) {
          terminal.write(
              "The settings have no rescue profiles; docs/guide/rescue.md says how to "
              "write one.\n");
        }
        for (const auto& one : all.profiles) write_profile(terminal, one);
      });
}

}  // namespace

void write_rescue(const Terminal& terminal, const api::Rescue& rescue) {
  const bool open = rescue.ended_at.empty();
  terminal.write(fmt::format(
      "{} on {}{}: {}\n",
      terminal.toned(fmt::format("Rescue session {}", rescue.number), Tone::kHead),
      shown(rescue.interface),
      rescue.device.empty() ? std::string() : " for " + shown(rescue.device),
      terminal.toned(shown(rescue.large), open ? Tone::kHead : Tone::kFaint)));
  const auto line = [&](const char* label, const std::string& text) {
    if (!text.empty()) {
      terminal.write(fmt::format("  {:<10}{}\n", label, shown(text, 1000)));
    }
  };
  line("now", open ? rescue.small : std::string());
  line("profile",
       fmt::format("{}, {} over {}", rescue.profile, rescue.server, rescue.over));
  line("opened", fmt::format("{} by {}", shown_time(rescue.opened_at), rescue.opened_by));
  line(open ? "ends" : "ended",
       open ? shown_time(rescue.until)
            : fmt::format("{}: {}", shown_time(rescue.ended_at), rescue.ended_why));
  for (const auto& one : rescue.names) {
    line("name", fmt::format("'{}': {}, {}", one.name, one.stands_for,
                             base::size_text(one.size)));
  }
  for (const auto& one : rescue.summary) line("outcome", one);
  if (!rescue.lines.empty()) {
    terminal.write("What happened:\n");
    Table table({{"WHEN"}, {"WHAT"}});
    for (const auto& one : rescue.lines) {
      table.add({{shown_time(one.at)}, {one.sentence, tone_of_line(one.what)}});
    }
    table.write(terminal);
  }
  if (!open) write_undo(terminal, rescue);
}

Result<std::int64_t> rescue_number(const Context& context, std::int64_t number,
                                   bool ended) {
  if (number != 0) return number;
  const auto all = context.api.call(api::kRescues, {});
  if (!all) return tl::unexpected(all.error());
  for (const auto& one : all->value.rescues) {
    if (one.ended_at.empty()) return one.number;
  }
  if (ended && !all->value.rescues.empty()) return all->value.rescues.front().number;
  return tl::unexpected(Failure{
      ExitCode::kNotFound, "no rescue session is open; 'vantro rescue open' opens one"});
}

void rescue_commands(const Command& top) {
  const auto rescue = top.group("rescue", "Recover a device that has no working system");
  {
    auto& o = rescue.keep<Open>();
    const auto command =
        rescue.add("open", "Check a wire, and open it to a device for a time",
                   [&o](const Context& c) { return open(c, o); });
    command.value("DEVICE", o.wanted.device,
                  "Device to recover, if the inventory has it");
    command.value("--interface", o.wanted.interface, "Network interface of the wire")
        .required();
    command.value("--profile", o.wanted.profile,
                  "How the device is recovered (default: as its platform is)");
    command.value("--until", o.hold, "End it by itself at this time").show_default();
    command
        .value("--link-address", o.wanted.link_addresses,
               "Serve this device only: MAC, MAC=DEVICE or MAC=DEVICE@ADDRESS")
        .once_for_each();
    command
        .value("--serial", o.wanted.serials,
               "Serve the device with this serial number; as --link-address")
        .once_for_each();
    command.flag("--any-device", o.wanted.any_device,
                 "Serve everybody on the wire (default: the first that asks)");
    command.flag("--own-address", o.wanted.own_address,
                 "Let the server add the address that the device calls, for the session");
    command.flag("--despite-other", o.wanted.despite_other,
                 "Open it although another DHCP server answers there");
    command.value("--image", o.wanted.image, "Image instead of the profile's last one");
    command.value("--file", o.text_file,
                  "Local file with the text that the profile asks for");
    command.flag("--dry-run", o.dry_run, "Only check; open nothing");
    command.flag("--follow", o.follow, "Follow it live");
    command.example("rescue open tidegate-rtr --interface eth1 --own-address --dry-run")
        .example("rescue open tidegate-rtr --interface eth1 --own-address --follow")
        .related({"rescue watch", "rescue profiles", "push", "help rescue"});
  }
  const auto numbered = [&](const char* name, const char* about, auto run) {
    auto& number = rescue.keep<std::int64_t>(0);
    const auto command = rescue.add(
        name, about, [&number, run](const Context& c) { return run(c, number); });
    command.value("NUMBER", number, "Session (default: the open one)")
        .range(0, INT64_MAX);
    command.example(fmt::format("rescue {}", name)).related({"rescue list"});
  };
  numbered("info", "Show one session: its stage, and what happened",
           [](const Context& c, std::int64_t number) -> Done {
             const auto which = rescue_number(c, number, true);
             if (!which) return tl::unexpected(which.error());
             return client::show(c, api::kRescue, {*which}, write_rescue);
           });
  numbered("end", "End a session now; everything is put back",
           [](const Context& c, std::int64_t number) -> Done {
             const auto which = rescue_number(c, number, false);
             if (!which) return tl::unexpected(which.error());
             return client::show(c, api::kCloseRescue, {*which}, write_rescue);
           });
  {
    auto& o = rescue.keep<RescueWatch>();
    const auto watch =
        rescue.add("watch", "Follow one session, stage by stage, in large letters",
                   [&o](const Context& c) { return watch_rescue(c, o); });
    watch.value("NUMBER", o.number, "Session (default: the open one)")
        .range(0, INT64_MAX);
    watch.value("--seconds", o.seconds, "End after this time").positive();
    watch.flag("--quiet", o.quiet, "Without the bell");
    watch.example("rescue watch").related({"rescue info", "rescue end"});
  }
  rescue.add("list", "List the sessions, newest first", list)
      .shows_list()
      .example("rescue list")
      .related({"rescue info"});
  rescue.add("profiles", "List how each kind of device is recovered", profiles)
      .shows_list()
      .example("rescue profiles")
      .related({"rescue open"});
}

}  // namespace vantro::client
