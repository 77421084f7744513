#include "client/unrecorded.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/sizes.h"
#include "client/render.h"

namespace vantro::client {
namespace {

using Align = Table::Align;
using Files = std::vector<api::Unrecorded>;

constexpr std::size_t kShortestBeginning = 4;

struct Chosen {
  std::vector<std::string> names;
  bool all = false, yes = false;
};

Done list_unrecorded(const Context& context) {
  return show(context, api::kUnrecorded, {},
              [](const Terminal& terminal, const api::UnrecordedList& all) {
                Table table({{"FILE"},
                             {"FOLDER"},
                             {"SIZE", Table::Align::kRight},
                             {"SINCE", Table::Align::kLeft, 1},
                             {"ENCRYPTED", Table::Align::kLeft, 2}});
                for (const auto& one : all.files) {
                  table.add({{one.name},
                             {one.place},
                             {base::size_text(one.size)},
                             {shown_time(one.since)},
                             {one.encrypted ? "yes" : ""}});
                }
                write_or(table, terminal, "Every stored file has a record.");
              });
}

// A name, or enough of its beginning to be unique.
Result<std::string> meant(const Files& files, const std::string& typed) {
  std::vector<std::string> found;
  for (const auto& one : files) {
    if (one.name == typed) return one.name;
    if (one.name.starts_with(typed)) found.push_back(one.name);
  }
  // An empty variable in a script would match any file.
  if (typed.size() < kShortestBeginning) {
    return wrong_use(
        fmt::format("'{}' is too short; give {} characters of the name or more",
                    shown(typed), kShortestBeginning));
  }
  if (found.size() == 1) return found.front();
  return tl::unexpected(Failure{
      ExitCode::kNotFound,
      found.empty()
          ? fmt::format("no file without a record begins with '{}'; 'vantro unrecorded "
                        "list' shows them",
                        shown(typed, 80))
          : fmt::format("'{}' matches {} files; give more of the name", shown(typed, 80),
                        found.size())});
}

Done decide(const Context& context, const Chosen& chosen, bool keep) {
  if (chosen.names.empty() != chosen.all) {
    return wrong_use("name the files, or give --all");
  }
  const auto answer = context.api.call(api::kUnrecorded);
  if (!answer) return tl::unexpected(answer.error());
  const auto& files = answer->value.files;
  std::vector<std::string> names;
  for (const auto& typed : chosen.names) {
    auto name = meant(files, typed);
    if (!name) return tl::unexpected(name.error());
    names.push_back(std::move(*name));
  }
  for (const auto& one : files) {
    // Interrupted uploads cannot be kept; --all means only the others.
    if (chosen.all && !(keep && one.place == "partial")) names.push_back(one.name);
  }
  if (!keep && !names.empty()) {
    const auto asked = ask_first(
        context, chosen.yes,
        names.size() == 1 ? fmt::format("Remove '{}' for good?", shown(names.front()))
                          : fmt::format("Remove {} files for good?", names.size()));
    if (!asked) return asked;
  }
  api::UnrecordedDecisions decided;
  const Terminal terminal(stdout);
  Done result;
  for (const auto& name : names) {
    const auto done =
        context.api.call(keep ? api::kKeepUnrecorded : api::kRemoveUnrecorded, {name});
    if (!done) {
      result = tl::unexpected(done.error());
      break;
    }
    decided.files.push_back(done->value);
    if (context.json) continue;
    terminal.write(keep ? fmt::format("{}: kept as '{}'\n", shown(name),
                                      shown(done->value.kept_as.value_or("")))
                        : fmt::format("{}: removed\n", shown(name)));
  }
  if (context.json) {
    terminal.write_json(api::indented(api::json_of(decided)) + "\n");
  } else if (names.empty()) {
    terminal.write("Nothing to do.\n");
  }
  return result;
}

}  // namespace

void unrecorded_commands(const Command& top) {
  const auto group =
      top.group("unrecorded", "Decide on stored files that have no record");
  group.add("list", "List them, the oldest first", list_unrecorded)
      .shows_list()
      .example("unrecorded list")
      .related({"status"});
  for (const bool keep : {true, false}) {
    auto& chosen = group.keep<Chosen>();
    const auto command =
        group.add(keep ? "keep" : "remove",
                  keep ? "Record them again, as held images named recovered-..."
                       : "Remove them for good",
                  [&chosen, keep](const Context& c) { return decide(c, chosen, keep); });
    command.value("FILE", chosen.names,
                  "SHA-256 or name of the file, 4 characters or more");
    command.flag("--all", chosen.all, "All of them");
    if (!keep) yes_flag(command, chosen.yes);
    command.example(keep ? "unrecorded keep --all" : "unrecorded remove 3f9a")
        .related({"unrecorded list"});
  }
}

}  // namespace vantro::client
