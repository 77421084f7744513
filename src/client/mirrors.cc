#include "client/mirrors.h"

#include <fmt/format.h>

#include "base/sizes.h"
#include "client/render.h"

namespace vantro::client {
namespace {

Tone tone_of_state(const std::string& state) {
  return state == "current" ? Tone::kGood : state == "behind" ? Tone::kPlain : Tone::kBad;
}

std::string lack_text(std::uint64_t images, std::uint64_t bytes) {
  if (images == 0) return "";
  return fmt::format("{}, {}", counted(images, "image"), base::size_text(bytes));
}

Done list_mirrors(const Context& context) {
  return show(
      context, api::kMirrors, {},
      [](const Terminal& terminal, const api::MirrorList& all) {
        Table table({{"MIRROR"},
                     {"STATE"},
                     {"ASKED"},
                     {"HELD"},
                     {"LACKS"},
                     {"RATE", Table::Align::kRight, 2},
                     {"SERVED IN 7 DAYS"},
                     {"WANTS", Table::Align::kLeft, 3},
                     {"TROUBLE", Table::Align::kLeft, 1}});
        for (const auto& one : all.mirrors) {
          table.add(
              {{one.name, Tone::kHead},
               {one.state, tone_of_state(one.state)},
               {shown_time(one.seen_at)},
               {std::to_string(one.held)},
               {lack_text(one.lacking, one.missing)},
               {one.lacking == 0 || one.rate <= 0 ? "" : base::rate_text(one.rate)},
               {one.served == 0 ? ""
                                : fmt::format("{}, {}", counted(one.served, "transfer"),
                                              base::size_text(one.served_bytes))},
               {one.wants},
               {one.trouble}});
        }
        write_or(table, terminal, "No mirrors. How a site gets one: docs/mirrors.md.");
      });
}

void write_line(const Terminal& terminal, const std::string& title,
                const std::string& text) {
  if (!text.empty()) terminal.write(fmt::format("  {:<15}{}\n", title, text));
}

void write_mirror(const Terminal& terminal, const api::Mirror& one) {
  terminal.write(terminal.toned(shown(one.name), Tone::kHead) + ": " +
                 terminal.toned(one.state, tone_of_state(one.state)) + "\n");
  write_line(terminal, "wants", shown(one.wants));
  write_line(terminal, "asked",
             fmt::format("{} from {}", shown_time(one.seen_at), shown(one.from)));
  write_line(terminal, "had everything",
             one.current_at ? shown_time(*one.current_at) : "never yet");
  write_line(terminal, "holds", counted(one.held, "image"));
  write_line(terminal, "lacks", lack_text(one.lacking, one.missing));
  if (one.lacking > 0 && one.rate > 0) {
    write_line(terminal, "fetches at", base::rate_text(one.rate));
  }
  write_line(terminal, "served",
             fmt::format("{}, {} in 7 days", counted(one.served, "transfer"),
                         base::size_text(one.served_bytes)));
  if (one.rows_waiting > 0) {
    write_line(terminal, "not sent yet",
               counted(one.rows_waiting, "row") + " of its ledger");
  }
  write_line(terminal, "version", shown(one.version));
  write_line(terminal, "trouble", terminal.toned(shown(one.trouble), Tone::kBad));
  if (one.sync) terminal.write("It will be told to fetch now.\n");
}

void write_state(const Terminal& terminal, const api::MirrorState& state) {
  if (state.of.empty()) {
    terminal.write("This server is not a mirror. Its own mirrors: vantro mirror list\n");
    return;
  }
  terminal.write("Mirror of " + terminal.toned(shown(state.of), Tone::kHead) + "\n");
  write_line(terminal, "wants", shown(state.wants));
  write_line(terminal, "as of", state.as_of ? shown_time(*state.as_of) : "never heard");
  if (!state.unreachable.empty()) {
    write_line(terminal, "not reached",
               terminal.toned(shown(state.unreachable), Tone::kBad));
  }
  write_line(terminal, "holds", counted(state.held, "image"));
  write_line(terminal, "lacks", lack_text(state.lacking.size(), state.missing));
  if (state.rate > 0 && !state.lacking.empty()) {
    write_line(terminal, "fetches at", base::rate_text(state.rate));
  }
  if (!state.hours.empty()) {
    write_line(terminal, "hours",
               shown(state.hours) + (state.in_hours ? "" : ", not now"));
  }
  if (state.rows_waiting > 0) {
    write_line(terminal, "not sent yet",
               counted(state.rows_waiting, "row") + " of the ledger");
  }
  write_line(terminal, "trouble", terminal.toned(shown(state.trouble), Tone::kBad));
  if (state.lacking.empty()) return;
  Table table(
      {{"NOT HERE YET"}, {"HAS"}, {"OF"}, {"READY IN"}, {"WANTED FOR"}, {"TROUBLE"}});
  for (const auto& one : state.lacking) {
    table.add(
        {{one.name, Tone::kHead},
         {base::size_text(one.have)},
         {base::size_text(one.size)},
         {one.seconds_left ? base::duration_text(static_cast<double>(*one.seconds_left))
                           : "unknown"},
         {one.why},
         {one.trouble}});
  }
  terminal.write("\n");
  write_or(table, terminal, "");
}

Done show_mirror(const Context& context, const std::string& name) {
  if (name.empty()) return show(context, api::kMirrorState, {}, write_state);
  return show(context, api::kMirror, {name}, write_mirror);
}

Done sync_mirror(const Context& context, const std::string& name) {
  if (name.empty()) return show(context, api::kSyncHere, {}, write_state);
  return show(context, api::kSyncMirror, {name}, write_mirror);
}

}  // namespace

void mirror_commands(const Command& top) {
  const auto group = top.group("mirror", "Show mirrors at sites, and make them fetch");
  group.add("list", "List the mirrors of this server", list_mirrors)
      .shows_list()
      .example("mirror list")
      .related({"mirror show"});
  auto& shown_name = group.keep<std::string>();
  const auto show =
      group.add("show", "Show one mirror; without a name, this server as a mirror",
                [&shown_name](const Context& c) { return show_mirror(c, shown_name); });
  show.value("NAME", shown_name, "Name of the mirror");
  show.example("mirror show heron").example("mirror show").related({"mirror list"});
  auto& synced_name = group.keep<std::string>();
  const auto sync =
      group.add("sync", "Let a mirror fetch what it lacks now, whatever its hours",
                [&synced_name](const Context& c) { return sync_mirror(c, synced_name); });
  sync.value("NAME", synced_name, "Name of the mirror; without it, this server");
  sync.example("mirror sync heron").related({"mirror show"});
}

}  // namespace vantro::client
