#include "client/kits.h"

#include <fmt/format.h>

#include "base/visible_name.h"
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
