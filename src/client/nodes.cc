#include "client/nodes.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "client/render.h"

namespace vantro::client {
namespace {

struct Chosen {
  std::string name;
  bool yes = false;
};

Done list_nodes(const Context& context) {
  return show(context, api::kNodes, {},
              [](const Terminal& terminal, const api::NodeList& all) {
                Table table({{"NODE"},
                             {"STATE"},
                             {"HOST", Table::Align::kLeft, 1},
                             {"VERSION", Table::Align::kLeft, 3},
                             {"SINCE", Table::Align::kLeft, 2},
                             {"REPORTED"},
                             {"WORK FOR ALL", Table::Align::kLeft, 4}});
                for (const auto& one : all.nodes) {
                  const bool bad = one.state == "silent";
                  table.add({{one.this_one ? one.name + " (this one)" : one.name},
                             {one.state, bad ? Tone::kBad : Tone::kPlain},
                             {one.host},
                             {one.version},
                             {shown_time(one.started_at)},
                             {shown_time(one.seen_at)},
                             {fmt::format("{}", fmt::join(one.works, ", "))}});
                }
                write_or(table, terminal,
                         "This server has a database of its own; there are no other "
                         "nodes.");
              });
}

Done remove_node(const Context& context, const Chosen& chosen) {
  const auto asked = ask_first(context, chosen.yes,
                               fmt::format("Forget the node '{}'?", shown(chosen.name)));
  if (!asked) return asked;
  return show(context, api::kRemoveNode, {chosen.name},
              [&](const Terminal& terminal, const api::Nothing&) {
                terminal.write(fmt::format("{}: forgotten\n", shown(chosen.name)));
              });
}

}  // namespace

void node_commands(const Command& top) {
  const auto group = top.group("node", "Show the servers that share this database");
  group.add("list", "List them with their state and the work they do for all", list_nodes)
      .shows_list()
      .example("node list")
      .related({"status"});
  auto& chosen = group.keep<Chosen>();
  const auto command =
      group.add("remove", "Forget a node that is gone for good",
                [&chosen](const Context& c) { return remove_node(c, chosen); });
  command.value("NAME", chosen.name, "Name of the node").required();
  yes_flag(command, chosen.yes);
  command.example("node remove harbour").related({"node list"});
}

}  // namespace vantro::client
