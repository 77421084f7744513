#include "api/target.h"

#include <algorithm>
#include <fmt/format.h>
#include <limits>
#include <vector>

#include "base/numbers.h"
#include "base/percent.h"
#include "base/visible_name.h"

namespace vantro::api {
namespace {

using Value = ValueKind;

std::string escaped(const std::string& text) {
  // Programs take "." and ".." as steps in the path.
  if (text == ".") return "%2E";
  if (text == "..") return "%2E%2E";
  return base::percent_encoded(text);
}

// As in a path or a query; nothing if it is absent.
std::optional<std::string> text_of(const Type& type, const void* value) {
  if (type.optional) value = type.held(value);
  if (value == nullptr) return std::nullopt;
  switch (type.kind) {
    case Value::kText:
      return *static_cast<const std::string*>(value);
    case Value::kFlag:
      return *static_cast<const bool*>(value) ? "true" : "false";
    case Value::kWhole:
      return std::to_string(type.whole(value));
    case Value::kList: {
      std::vector<std::string> items;
      for (std::size_t i = 0; i < type.size(value); ++i) {
        items.push_back(text_of(*type.of, type.at(value, i)).value_or(""));
      }
      return fmt::format("{}", fmt::join(items, ","));
    }
    case Value::kNumber:
    case Value::kMap:
    case Value::kObject:
      break;
  }
  return std::nullopt;
}

base::Outcome<std::string> decode(std::string_view text) {
  auto decoded = base::percent_decoded(text);
  if (!decoded) {
    return base::refuse(base::Kind::kInvalid,
                        "a '%' in the address is not followed by two digits");
  }
  return std::move(*decoded);
}

std::vector<std::string_view> split(std::string_view text, char at) {
  std::vector<std::string_view> parts;
  while (true) {
    const auto found = text.find(at);
    parts.push_back(text.substr(0, found));
    if (found == std::string_view::npos) return parts;
    text.remove_prefix(found + 1);
  }
}

// A map's field takes NAME.KEY=TEXT.
const Field* map_field(const Shape& shape, const std::string& name) {
  const auto dot = name.find('.');
  if (dot == std::string::npos) return nullptr;
  const auto* field = shape.find(std::string_view(name).substr(0, dot));
  return field != nullptr && field->type->kind == Value::kMap ? field : nullptr;
}

base::Outcome<void> set(const Field& field, const std::string& text, void* object) {
  const auto& type = *field.type;
  auto* value = field.member(object);
  if (type.optional) value = type.fill(value);
  const auto refuse = [&](const std::string& must_be) {
    return base::refuse(base::Kind::kInvalid,
                        fmt::format("{}: '{}' is not {}", field.name,
                                    base::printable(text, 40), must_be));
  };
  switch (type.kind) {
    case Value::kText: {
      const auto& all = field.choices;
      const bool known =
          all.empty() || std::any_of(all.begin(), all.end(),
                                     [&](const char* one) { return one == text; });
      if (!known) return refuse(fmt::format("one of {}", fmt::join(all, ", ")));
      *static_cast<std::string*>(value) = text;
      return {};
    }
    case Value::kFlag:
      if (text != "true" && text != "false") return refuse("true or false");
      *static_cast<bool*>(value) = text == "true";
      return {};
    case Value::kWhole: {
      const auto number = base::parse_number<std::int64_t>(text);
      if (!number || *number < field.least || *number > field.most ||
          !type.set_whole(value, *number)) {
        return refuse(
            field.most == std::numeric_limits<std::int64_t>::max()
                ? fmt::format("a number from {} up", field.least)
                : fmt::format("a number from {} to {}", field.least, field.most));
      }
      return {};
    }
    case Value::kList:
      for (const auto item : split(text, ',')) {
        *static_cast<std::string*>(type.add(value)) = item;
      }
      return {};
    case Value::kNumber:
    case Value::kMap:
    case Value::kObject:
      break;
  }
  return refuse("taken here");
}

}  // namespace

std::string target(std::string_view path, const Shape& shape, const void* asked) {
  const auto* defaults = shape.defaults();
  std::string result(path);
  std::string query;
  const auto add = [&](const std::string& name, const std::string& text) {
    query += fmt::format("{}{}={}", query.empty() ? "?" : "&", name, escaped(text));
  };
  for (const auto& field : shape.fields()) {
    if (field.type->kind == Value::kMap) {
      for (const auto& [key, text] :
           *static_cast<const std::map<std::string, std::string>*>(field.in(asked))) {
        add(fmt::format("{}.{}", field.name, key), text);
      }
      continue;
    }
    const auto text = text_of(*field.type, field.in(asked));
    const auto place = fmt::format("{{{}}}", field.name);
    if (const auto at = result.find(place); at != std::string::npos) {
      result.replace(at, place.size(), escaped(text.value_or("")));
    } else if (text && !text->empty() &&
               text != text_of(*field.type, field.in(defaults))) {
      add(field.name, *text);
    }
  }
  return result + query;
}

base::Outcome<std::optional<Values>> fit(std::string_view pattern,
                                         std::string_view path) {
  const auto wanted = split(pattern, '/');
  const auto given = split(path, '/');
  if (wanted.size() != given.size()) return std::nullopt;
  Values values;
  for (std::size_t i = 0; i < wanted.size(); ++i) {
    if (!wanted[i].starts_with('{')) {
      if (wanted[i] != given[i]) return std::nullopt;
      continue;
    }
    auto value = decode(given[i]);
    if (!value) return base::refuse(value.error());
    values.emplace(wanted[i].substr(1, wanted[i].size() - 2), std::move(*value));
  }
  return values;
}

base::Outcome<Values> parse_query(std::string_view query) {
  Values result;
  if (query.empty()) return result;
  for (const auto pair : split(query, '&')) {
    const auto equals = pair.find('=');
    auto name = decode(pair.substr(0, equals));
    auto value = equals == std::string_view::npos ? std::string{}
                                                  : decode(pair.substr(equals + 1));
    if (!name) return base::refuse(name.error());
    if (!value) return base::refuse(value.error());
    result.insert_or_assign(std::move(*name), std::move(*value));
  }
  return result;
}

base::Outcome<void> read_asked(const Values& values, const Shape& shape, void* to,
                               Nearest nearest) {
  for (const auto& [name, text] : values) {
    if (const auto* field = map_field(shape, name)) {
      static_cast<std::map<std::string, std::string>*>(field->member(to))
          ->emplace(name.substr(name.find('.') + 1), text);
      continue;
    }
    const auto* field = shape.find(name);
    if (field == nullptr) {
      const auto known = shape.names();
      return base::refuse(
          base::Kind::kInvalid,
          known.empty() ? fmt::format("unknown query parameter '{}'; there are none",
                                      base::printable(name, 40))
                        : fmt::format("unknown query parameter '{}'; known: {}",
                                      base::printable(name, 40), fmt::join(known, ", ")),
          nearest(name, known).value_or(""));
    }
    if (text.empty()) continue;
    if (auto done = set(*field, text, to); !done) return done;
  }
  for (const auto& field : shape.fields()) {
    const auto found = values.find(field.name);
    if (field.needed && (found == values.end() || found->second.empty())) {
      return base::refuse(base::Kind::kInvalid,
                          fmt::format("the query parameter '{}' is missing: {}",
                                      field.name, field.meaning));
    }
  }
  return {};
}

}  // namespace vantro::api
