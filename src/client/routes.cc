#include "client/routes.h"

#include <array>
#include <fmt/format.h>
#include <toml++/toml.h>

#include "base/visible_name.h"
#include "client/answers.h"
#include "client/render.h"

namespace vantro::client {
namespace {

std::string image_or_missing(const std::string& image) {
  return image.empty() ? "NOT IN THE CATALOGUE" : shown(image);
}

void write_companions(const Terminal& terminal, const char* when,
                      const std::vector<api::Companion>& all) {
  for (const auto& one : all) {
    terminal.write(fmt::format("     {} {} {}: {}\n", when, one.role, shown(one.version),
                               image_or_missing(one.image)));
    terminal.write(
        terminal.toned(fmt::format("       {}\n", shown(one.why, 600)), Tone::kFaint));
  }
}

Tone tone_of_route(const std::string& result) {
  if (result == "found" || result == "there") return Tone::kGood;
  return result == "unknown" ? Tone::kCaution : Tone::kBad;
}

void write_route(const Terminal& terminal, const api::VersionRoute& route) {
  // Without known rules nothing is known to be safe.
  const auto tone = route.result == "found" && !route.any_rules
                        ? Tone::kCaution
                        : tone_of_route(route.result);
  terminal.write(terminal.toned(shown(route.sentence, 800), tone) + "\n");
  std::size_t number = 0;
  for (const auto& step : route.steps) {
    terminal.write(fmt::format("  {}. {} {}: {}\n", ++number, step.role,
                               shown(step.version), image_or_missing(step.image)));
    for (const auto& rule : step.demanded_by) {
      terminal.write(
          terminal.toned(fmt::format("       {}\n", shown(rule, 600)), Tone::kFaint));
    }
    write_companions(terminal, "first", step.before);
    write_companions(terminal, "then", step.behind);
  }
}

struct Wanted {
  api::RouteAsked asked;
  std::string device;
};

Done find_route(const Context& context, const Wanted& wanted) {
  const auto& asked = wanted.asked;
  const bool of_device = !wanted.device.empty();
  if (of_device && !(asked.platform.empty() && asked.from.empty())) {
    return wrong_use(
        "--device gives platform and running version; add only --wanted IMAGE");
  }
  if (asked.to.empty() ||
      (!of_device && (asked.platform.empty() || asked.from.empty()))) {
    return wrong_use(
        "say which versions: vantro route PLATFORM --running V --wanted W, or "
        "vantro route --device DEVICE --wanted IMAGE");
  }
  const auto route = of_device
                         ? context.api.call(api::kDeviceRoute, {wanted.device, asked.to})
                         : context.api.call(api::kFindRoute, asked);
  auto done = show_answer(context, route, write_route);
  if (!done) return done;
  const auto& result = route->value.result;
  if (result == "found" || result == "there") return {};
  return tl::unexpected(Failure{ExitCode::kRefused, ""});
}

Done list_rules(const Context& context, const std::string& platform) {
  return show(context, api::kRouteRules, {platform},
              [](const Terminal& terminal, const api::RuleList& all) {
                if (all.rules.empty()) {
                  terminal.write(
                      "No rules. Import a table with 'vantro route import FILE'; "
                      "docs/guide/changes.md has an example.\n");
                }
                for (const auto& one : all.rules) {
                  terminal.write(shown(one.sentence, 1000) + "\n");
                }
              });
}

// [[rule]] tables with the columns' names as keys.
Result<std::vector<api::RuleGiven>> rules_of_toml(const std::string& text,
                                                  const std::string& file) {
  const auto wrong = [&](const std::string& why) {
    return wrong_use(fmt::format("{}: {}", shown(file), why));
  };
  toml::table table;
  try {
    table = toml::parse(text, file);
  } catch (const toml::parse_error& error) {
    return wrong(fmt::format("line {}: {}", error.source().begin.line,
                             std::string(error.description())));
  }
  const auto* list = table["rule"].as_array();
  if (list == nullptr) return wrong("no rules in it; each begins with [[rule]]");
  std::vector<api::RuleGiven> rules;
  for (const auto& node : *list) {
    const auto* one = node.as_table();
    if (one == nullptr) return wrong("each rule begins with [[rule]]");
    api::RuleGiven rule;
    const std::array known{std::pair("platform", &rule.platform),
                           std::pair("rule", &rule.rule),
                           std::pair("role", &rule.role),
                           std::pair("from", &rule.from),
                           std::pair("to", &rule.to),
                           std::pair("needs", &rule.needs),
                           std::pair("source", &rule.source)};
    for (const auto& [key, value] : *one) {
      const auto found = std::find_if(known.begin(), known.end(), [&](const auto& each) {
        return each.first == key.str();
      });
      const auto line = value.source().begin.line;
      if (found == known.end()) {
        return wrong(
            fmt::format("line {}: unknown key '{}'; a rule has platform, rule, role, "
                        "from, to, needs, source",
                        line, shown(std::string(key.str()), 40)));
      }
      const auto text_value = value.value_exact<std::string>();
      if (!text_value) {
        return wrong(fmt::format("line {}: {} must be a text in quotes", line,
                                 std::string(key.str())));
      }
      *found->second = *text_value;
    }
    rules.push_back(std::move(rule));
  }
  return rules;
}

Done import_rules(const Context& context, const std::string& file, bool dry_run) {
  const auto text = read_text(file);
  if (!text) return tl::unexpected(text.error());
  api::RuleTable table;
  table.really = !dry_run;
  if (file.ends_with(".toml")) {
    auto rules = rules_of_toml(*text, file);
    if (!rules) return tl::unexpected(rules.error());
    table.rules = std::move(*rules);
  } else {
    table.table = *text;
  }
  return show_answer(
      context, context.api.call(api::kImportRules, {}, table),
      [](const Terminal& terminal, const api::RulesImported& done) {
        for (const auto& one : done.added) {
          terminal.write(terminal.toned("+ " + shown(one, 1000), Tone::kGood) + "\n");
        }
        for (const auto& one : done.removed) {
          terminal.write(terminal.toned("- " + shown(one, 1000), Tone::kBad) + "\n");
        }
        terminal.write(
            fmt::format("{}: {}{} added, {} removed, {} unchanged\n",
                        shown(fmt::format("{}", fmt::join(done.platforms, ", ")), 400),
                        done.done ? "" : "would be: ", done.added.size(),
                        done.removed.size(), done.unchanged));
      });
}

Done remove_rules(const Context& context, const std::string& platform, bool yes) {
  const auto asked =
      ask_first(context, yes, fmt::format("Remove all rules of '{}'?", shown(platform)));
  if (!asked) return asked;
  return show(context, api::kRemoveRules, {platform},
              [](const Terminal& terminal, const api::RulesRemoved& removed) {
                terminal.write(fmt::format(
                    "{}: {} removed\n", shown(removed.platform),
                    counted(static_cast<std::uint64_t>(removed.rules), "rule")));
              });
}

}  // namespace

void route_commands(const Command& top) {
  auto& o = top.keep<Wanted>();
  const auto route =
      top.add("route", "Find the shortest permitted way from one version to another",
              [&o](const Context& c) { return find_route(c, o); });
  route.value("PLATFORM", o.asked.platform, "Platform, with --running and --wanted");
  route.value("--running", o.asked.from, "Version to start from");
  route.value("--wanted", o.asked.to,
              "Version to reach; with --device also an image or a kit");
  route.value("--device", o.device, "Start from what this device runs");
  route.example("route causeway4 --running 7.4.2 --wanted 7.6.0")
      .example("route --device tidegate-rtr --wanted causeway4-system-7.6.0.img")
      .related({"ready", "job add"});
  {
    auto& platform = top.keep<std::string>();
    const auto rules =
        route.sub("rules", "Show the rules in words",
                  [&platform](const Context& c) { return list_rules(c, platform); });
    rules.value("PLATFORM", platform, "Only those of this platform");
    rules.shows_list().example("route rules causeway4");
  }
  {
    struct One {
      std::string file;
      bool dry_run = false;
    };
    auto& one = top.keep<One>();
    const auto import = route.sub(
        "import", "Import a table of rules; it replaces those of its platforms",
        [&one](const Context& c) { return import_rules(c, one.file, one.dry_run); });
    import.value("FILE", one.file, "CSV, or .toml with [[rule]] tables").required();
    import.flag("--dry-run", one.dry_run, "Only show what would change");
    import.example("route import rules.csv --dry-run").related({"route rules"});
  }
  struct Remove {
    std::string platform;
    bool yes = false;
  };
  auto& r = top.keep<Remove>();
  const auto remove =
      route.sub("remove", "Remove the rules of a platform",
                [&r](const Context& c) { return remove_rules(c, r.platform, r.yes); });
  remove.value("PLATFORM", r.platform, "Platform").required();
  yes_flag(remove, r.yes);
  remove.example("route remove causeway4");
}

}  // namespace vantro::client
