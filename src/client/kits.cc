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
        Table table({{"KIT"}, {"PARTS"}});
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
    return wrong_use("nothing to change; give --add, --drop or --remark");
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

Done remove_kit(const Context& context, const std::string& name, bool yes) {
  const auto asked =
      ask_first(context, yes, fmt::format("Remove the kit '{}'?", shown(name)));
  if (!asked) return asked;
  return show(
      context, api::kRemoveKit, {name},
      [&](const Terminal& terminal, const api::Nothing&) {
        terminal.write(fmt::format("{}: removed; its images stay\n", shown(name)));
      });
}

}  // namespace

void kit_commands(const Command& top) {
  const auto kit = top.group("kit", "Manage images that belong together");
  {
    auto& o = kit.keep<api::KitWanted>();
    const auto add = kit.add("add", "Make a kit; the order is that of installing",
                             [&o](const Context& c) { return add_kit(c, o); });
    add.value("NAME", o.name, "Name of the kit").required();
    add.value("IMAGE", o.images, "Images, in their order").required();
    add.value("--remark", o.remarks, "Remark on the whole kit");
    add.value("--part-remark", o.part_remarks,
              "Remark on a part; once for each, in their order")
        .once_for_each();
    add.example("kit add causeway4-7.6 causeway4-boot-3.2.bin causeway4-system-7.6.0.img")
        .related({"kit info", "job add"});
  }
  {
    auto& o = kit.keep<KitChange>();
    const auto change = kit.add("change", "Add parts to a kit, or remove some",
                                [&o](const Context& c) { return change_kit(c, o); });
    change.value("NAME", o.name, "Name of the kit").required();
    change.value("--add", o.add, "Add this image after the others").once_for_each();
    change.value("--drop", o.drop, "Take this image out").once_for_each();
    change.value("--remark", o.remarks, "Remark on the whole kit");
    change.example("kit change causeway4-7.6 --add causeway4-power-1.1.bin")
        .related({"kit info"});
  }
  kit.add("list", "List all kits", list_kits)
      .shows_list()
      .example("kit list")
      .related({"kit info"});
  {
    auto& name = kit.keep<std::string>();
    const auto info = kit.add("info", "Show everything about one kit",
                              [&name](const Context& c) { return show_kit(c, name); });
    info.value("NAME", name, "Name of the kit").required();
    info.example("kit info causeway4-7.6").related({"kit list", "image info"});
  }
  struct Remove {
    std::string name;
    bool yes = false;
  };
  auto& o = kit.keep<Remove>();
  const auto remove =
      kit.add("remove", "Remove a kit; its images stay",
              [&o](const Context& c) { return remove_kit(c, o.name, o.yes); });
  remove.value("NAME", o.name, "Name of the kit").required();
  yes_flag(remove, o.yes);
  remove.example("kit remove causeway4-7.4").related({"kit list"});
}

}  // namespace vantro::client
