#include "daemon/report_settings.h"

#include <cerrno>
#include <cstring>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>

#include "base/visible_name.h"
#include "daemon/setting_fields.h"
#include "daemon/toml_values.h"

namespace vantro::daemon {
namespace {

base::Outcome<text::ReportPattern> report_of(const toml::table& table) {
  text::ReportPattern pattern;
  for (const auto& [key, node] : table) {
    const auto name = std::string(key.str());
    if (name == "facts" || name == "words") {
      auto texts = named_texts(
          node, name == "facts" ? "{ unit = \"KiB\" }" : "{ \"LT-24\" = \"lattice24\" }");
      if (!texts) return no_value(name + ": " + texts.error().sentence);
      (name == "facts" ? pattern.facts : pattern.words) = std::move(*texts);
    } else if (name == "platform" || name == "pattern") {
      auto one = text_of(node);
      if (!one) return no_value(name + ": " + one.error().sentence);
      (name == "platform" ? pattern.platform : pattern.pattern) = std::move(*one);
    } else {
      return no_value(fmt::format(
          "unknown key '{}' of a report; known: platform, pattern, facts, words",
          base::printable(name, 40)));
    }
  }
  if (pattern.pattern.empty()) return no_value("a report needs a pattern");
  return pattern;
}

base::Outcome<std::string> file_text(const std::string& file) {
  constexpr std::size_t kLongest = 1 << 20;
  // Reading a pipe would block.
  std::error_code why;
  const bool regular = std::filesystem::is_regular_file(file, why);
  if (why) return no_value(fmt::format("file: {}: {}", file, why.message()));
  if (!regular) return no_value(fmt::format("file: {} is not a regular file", file));
  std::ifstream in(file, std::ios::binary);
  if (!in) return no_value(fmt::format("file: {}: {}", file, std::strerror(errno)));
  std::string text(kLongest, '\0');
  in.read(text.data(), static_cast<std::streamsize>(text.size()));
  if (in.bad()) return no_value(fmt::format("file: {}: it can't be read", file));
  text.resize(static_cast<std::size_t>(in.gcount()));
  return text;
}

base::Outcome<jobs::SheetTemplate> sheet_of(const toml::table& table) {
  jobs::SheetTemplate sheet;
  for (const auto& [key, node] : table) {
    const auto name = std::string(key.str());
    if (name == "order") {
      auto names = list_of_texts(node, "[\"server\", \"name\"]");
      if (!names) return no_value("order: " + names.error().sentence);
      sheet.order = std::move(*names);
      continue;
    }
    auto one = text_of(node);
    if (!one) return no_value(name + ": " + one.error().sentence);
    if (name == "platform") {
      sheet.platform = std::move(*one);
    } else if (name == "form") {
      const auto form = jobs::parse_sheet_form(*one);
      if (!form) {
        return no_value(
            "form: must be one of \"running\", \"boot-prompt\", \"maintenance\"");
      }
      sheet.form = *form;
    } else if (name == "file") {
      auto text = file_text(*one);
      if (!text) return base::refuse(text.error());
      sheet.text = std::move(*text);
      sheet.file = std::move(*one);
    } else {
      return no_value(
          fmt::format("unknown key '{}' of a sheet; known: platform, form, order, file",
                      base::printable(name, 40)));
    }
  }
  if (sheet.text.empty() && sheet.order.empty()) {
    return no_value("a sheet needs a file, or an order of its values");
  }
  if (auto sound = jobs::check_template(sheet); !sound) {
    return no_value(base::in_full(sound.error()));
  }
  return sheet;
}

}  // namespace

base::Outcome<void> apply_reports(std::vector<text::ReportPattern>& reports,
                                  const toml::node& node) {
  reports.clear();
  return each_table(node, "[[report]]",
                    [&](const toml::table& table) -> base::Outcome<void> {
                      auto pattern = report_of(table);
                      if (!pattern) return base::refuse(pattern.error());
                      if (auto made = text::ReportReader::make({*pattern}); !made) {
                        return no_value(base::in_full(made.error()));
                      }
                      reports.push_back(std::move(*pattern));
                      return {};
                    });
}

base::Outcome<void> apply_sheets(std::vector<jobs::SheetTemplate>& sheets,
                                 const toml::node& node) {
  sheets.clear();
  return each_table(node, "[[sheet]]",
                    [&](const toml::table& table) -> base::Outcome<void> {
                      auto sheet = sheet_of(table);
                      if (!sheet) return base::refuse(sheet.error());
                      sheets.push_back(std::move(*sheet));
                      return {};
                    });
}

}  // namespace vantro::daemon
