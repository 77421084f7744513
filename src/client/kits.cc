#include "client/kits.h"

#include <algorithm>
#include <fmt/format.h>
#include <optional>

#include "base/visible_name.h"
#include "client/answers.h"
#include "client/render.h"

namespace vantro::client {
namespace {

std::string part_text(const api::KitPart& part) {
  auto text = shown(part.image);
  if (!part.role.empty() || !part.version.empty()) {
    text += fmt::format(" ({}{}{})", part.role,
                        part.role.empty() || part.version.empty() ? "" : " ",
                        shown(part.version));
  }
  return part.remark.empty() ? text : text + ": " + shown(part.remark);
}

void write_kit(const Terminal& terminal, const api::Kit& kit) {
  terminal.write(terminal.toned(shown(kit.name), Tone::kHead) + "\n");
  for (std::size_t i = 0; i < kit.parts.size(); ++i) {
    terminal.write(fmt::format("  {}. {}\n", i + 1, part_text(kit.parts[i])));
  }
  if (!kit.remarks.empty()) terminal.write("  " + shown(kit.remarks) + "\n");
}

Done add_kit(const Context& context, const api::KitWanted& options) {
  return show_answer(context, context.api.call(api::kAddKit, {}, options), write_kit);
}

Done list_kits(const Context& context) {
  return show(
      context, api::kKits, {}, [](const Terminal& terminal, const api::KitList& all) {
        Table table({{"KIT"}, {"PARTS IN THEIR ORDER"}});
        for (const auto& kit : all.kits) {
          for (std::size_t i = 0; i < kit.parts.size(); ++i) {
            table.add({{i == 0 ? kit.name : "", Tone::kHead},
                       {fmt::format("{}. {}", i + 1, part_text(kit.parts[i]))}});
          }
        }
        write_or(
            table, terminal,
            "No kits. Make one of images that belong together with: vantro kit add NAME "
            "IMAGE IMAGE...");
      });
}

Done show_kit(const Context& context, const std::string& name) {
  return show(context, api::kKit, {name}, write_kit);
}

struct KitChange {
  std::string name;
  std::vector<std::string> add;
  std::vector<std::string> drop;
  std::optional<std::string> remarks;
};

Done change_kit(const Context& context, const KitChange& change) {
  if (change.add.empty() && change.drop.empty() && !change.remarks) {
    return wrong_use("say what to change: --add, --drop or --remarks");
  }
  const auto kit = context.api.call(api::kKit, {change.name});
  if (!kit) return tl::unexpected(kit.error());
  api::KitParts wanted;
  wanted.remarks = change.remarks.value_or(kit->value.remarks);
  auto left = change.drop;
  for (const auto& part : kit->value.parts) {
    const auto dropped = std::find(left.begin(), left.end(), part.image);
    if (dropped != left.end()) {
      left.erase(dropped);
      continue;
    }
    wanted.images.push_back(part.image);
    wanted.part_remarks.push_back(part.remark);
  }
  if (!left.empty()) {
    return tl::unexpected(
        Failure{ExitCode::kNotFound,
                fmt::format("'{}' is not a part of the kit '{}'; nothing was changed",
                            shown(left.front()), shown(change.name))});
  }
  wanted.images.insert(wanted.images.end(), change.add.begin(), change.add.end());
  return show_answer(context, context.api.call(api::kChangeKit, {change.name}, wanted),
                     write_kit);
}

Done remove_kit(const Context& context, const std::string& name) {
  return show(
      context, api::kRemoveKit, {name},
      [&](const Terminal& terminal, const api::Nothing&) {
        terminal.write(fmt::format("{}: removed; its images stay\n", shown(name)));
      });
}

}  // namespace

void kit_commands(const Command& top) {
  const auto kit = top.group("kit", "images that belong together");
  {
    auto& o = kit.keep<api::KitWanted>();
    const auto add = kit.add("add", "make one, in the order of installing",
                             [&o](const Context& c) { return add_kit(c, o); });
    add.value("NAME", o.name, "the kit's name").required();
    add.value("IMAGE", o.images, "its images, in their order").required();
    add.value("--remarks", o.remarks, "about the whole");
    add.value("--part-remark", o.part_remarks,
              "about a part; once for each, in their order")
        .once_for_each();
  }
  {
    auto& o = kit.keep<KitChange>();
    const auto change = kit.add("change", "Add parts to a kit, or take some out",
                                [&o](const Context& c) { return change_kit(c, o); });
    change.value("NAME", o.name, "The kit's name").required();
    change.value("--add", o.add, "Put these images behind its parts").once_for_each();
    change.value("--drop", o.drop, "Take these images out").once_for_each();
    change.value("--remarks", o.remarks, "Change what is said about the whole");
  }
  kit.add("list", "all kits", list_kits);
  const auto named = [&](const char* command, const char* about, auto run) {
    auto& name = kit.keep<std::string>();
    kit.add(command, about, [&name, run](const Context& c) { return run(c, name); })
        .value("NAME", name, "the kit's name")
        .required();
  };
  named("info", "one kit", show_kit);
  named("remove", "forget a kit; its images stay", remove_kit);
}

}  // namespace vantro::client
