#include "api/json.h"

#include <algorithm>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "base/visible_name.h"

namespace vantro::api {
namespace {

using base::Kind;
using nlohmann::json;
using Value = ValueKind;

constexpr auto kReplace = json::error_handler_t::replace;

void append_text(std::string& to, const std::string& text) {
  const bool plain = std::all_of(text.begin(), text.end(), [](char c) {
    return c >= 0x20 && c < 0x7f && c != '"' && c != '\\';
  });
  if (plain) {
    to += '"';
    to += text;
    to += '"';
  } else {
    to += json(text).dump(-1, ' ', false, kReplace);
  }
}

// What the refusal of an unreadable value says.
struct Reading {
  bool strict = false;
  Nearest nearest = nullptr;  // strict
};

base::Outcome<void> wrong(const char* name, const char* must_be) {
  return base::refuse(Kind::kInvalid, fmt::format("'{}' must be {}", name, must_be));
}

base::Outcome<void> read_object(const json& from, const Shape& shape, void* to,
                                const Reading& reading);

base::Outcome<void> read_value(const json& from, const Field& field, const Type& type,
                               void* to, const Reading& reading) {
  const auto* name = field.name;
  switch (type.kind) {
    case Value::kText: {
      if (!from.is_string()) return wrong(name, "a text");
      auto& text = *static_cast<std::string*>(to);
      text = from.get_ref<const std::string&>();
      const auto& all = field.choices;
      const bool known = all.empty() || text.empty() ||
                         std::any_of(all.begin(), all.end(),
                                     [&](const char* one) { return one == text; });
      if (reading.strict && !known) {
        return base::refuse(Kind::kInvalid,
                            fmt::format("'{}': '{}' is not one of {}", name,
                                        base::printable(text, 40), fmt::join(all, ", ")));
      }
      return {};
    }
    case Value::kFlag:
      if (!from.is_boolean()) return wrong(name, "true or false");
      *static_cast<bool*>(to) = from.get<bool>();
      return {};
    case Value::kNumber:
      if (!from.is_number()) return wrong(name, "a number");
      *static_cast<double*>(to) = from.get<double>();
      return {};
    case Value::kWhole: {
      const bool fits =
          from.is_number_integer() &&
          (!from.is_number_unsigned() ||
           from.get<std::uint64_t>() <=
               static_cast<std::uint64_t>(std::numeric_limits<std::int64_t>::max()));
      const auto whole = fits ? from.get<std::int64_t>() : 0;
      const bool in_range =
          fits && (!reading.strict || (whole >= field.least && whole <= field.most));
      if (!in_range || !type.set_whole(to, whole)) {
        return base::refuse(
            Kind::kInvalid,
            fmt::format("'{}' must be a whole number from {}{}", name, field.least,
                        field.most == std::numeric_limits<std::int64_t>::max()
                            ? std::string(" up")
                            : fmt::format(" to {}", field.most)));
      }
      return {};
    }
    case Value::kList:
      if (reading.strict && from.is_string()) {
        return read_value(from, field, *type.of, type.add(to), reading);
      }
      if (!from.is_array()) return wrong(name, "a list");
      for (const auto& one : from) {
        if (auto read = read_value(one, field, *type.of, type.add(to), reading); !read) {
          return type.of->kind == Value::kText ? wrong(name, "a list of texts") : read;
        }
      }
      return {};
    case Value::kMap:
      if (!from.is_object()) return wrong(name, "an object");
      for (const auto& [key, value] : from.items()) {
        if (!value.is_string()) return wrong(name, "an object of texts");
        static_cast<std::map<std::string, std::string>*>(to)->emplace(
            key, value.get<std::string>());
      }
      return {};
    case Value::kObject:
      if (!from.is_object()) return wrong(name, "an object");
      return read_object(from, type.shape(), to, reading);
  }
  return {};
}

base::Outcome<void> read_object(const json& from, const Shape& shape, void* to,
                                const Reading& reading) {
  for (const auto& [name, value] : from.items()) {
    const auto* field = shape.find(name);
    if (field == nullptr) {
      if (!reading.strict) continue;
      const auto known = shape.names();
      return base::refuse(
          Kind::kInvalid,
          known.empty() ? fmt::format("unknown field '{}'; the body has no fields",
                                      base::printable(name, 40))
                        : fmt::format("unknown field '{}'; known: {}",
                                      base::printable(name, 40), fmt::join(known, ", ")),
          reading.nearest(name, known).value_or(""));
    }
    const auto& type = *field->type;
    auto* member = field->member(to);
    if (value.is_null()) {
      if (type.optional) type.clear(member);
      continue;
    }
    if (type.optional) member = type.fill(member);
    if (auto read = read_value(value, *field, type, member, reading); !read) return read;
  }
  if (!reading.strict) return {};
  for (const auto& field : shape.fields()) {
    if (!field.needed) continue;
    const auto found = from.find(field.name);
    if (found == from.end() || found->is_null() ||
        (found->is_string() && found->get_ref<const std::string&>().empty())) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' is missing: {}", field.name, field.meaning));
    }
  }
  return {};
}

}  // namespace

void append_json(std::string& to, const Type& type, const void* value) {
  if (type.optional) {
    value = type.held(value);
    if (value == nullptr) {
      to += "null";
      return;
    }
  }
  switch (type.kind) {
    case Value::kText:
      append_text(to, *static_cast<const std::string*>(value));
      return;
    case Value::kFlag:
      to += *static_cast<const bool*>(value) ? "true" : "false";
      return;
    case Value::kNumber:
      to += json(*static_cast<const double*>(value)).dump();
      return;
    case Value::kWhole:
      fmt::format_to(std::back_inserter(to), "{}", type.whole(value));
      return;
    case Value::kList:
      to += '[';
      for (std::size_t i = 0; i < type.size(value); ++i) {
        if (i > 0) to += ',';
        append_json(to, *type.of, type.at(value, i));
      }
      to += ']';
      return;
    case Value::kMap: {
      to += '{';
      bool first = true;
      for (const auto& [key, text] :
           *static_cast<const std::map<std::string, std::string>*>(value)) {
        if (!std::exchange(first, false)) to += ',';
        append_text(to, key);
        to += ':';
        append_text(to, text);
      }
      to += '}';
      return;
    }
    case Value::kObject: {
      to += '{';
      bool first = true;
      for (const auto* field : type.shape().by_name()) {
        if (!std::exchange(first, false)) to += ',';
        append_text(to, field->name);
        to += ':';
        append_json(to, *field->type, field->in(value));
      }
      to += '}';
      return;
    }
  }
}

bool is_utf8(const Type& type, const void* value) {
  if (type.optional) value = type.held(value);
  if (value == nullptr) return true;
  if (type.kind == Value::kText) {
    try {
      (void)json(*static_cast<const std::string*>(value)).dump();
      return true;
    } catch (const json::type_error&) {
      return false;
    }
  }
  if (type.kind == Value::kList) {
    for (std::size_t i = 0; i < type.size(value); ++i) {
      if (!is_utf8(*type.of, type.at(value, i))) return false;
    }
  }
  if (type.kind == Value::kMap) {
    for (const auto& [key, text] :
         *static_cast<const std::map<std::string, std::string>*>(value)) {
      if (!is_utf8(*type.of, &key) || !is_utf8(*type.of, &text)) return false;
    }
  }
  if (type.kind == Value::kObject) {
    for (const auto& field : type.shape().fields()) {
      if (!is_utf8(*field.type, field.in(value))) return false;
    }
  }
  return true;
}

base::Outcome<void> read_answer(std::string_view text, const Shape& shape, void* to) {
  const auto value = json::parse(text, nullptr, false);
  if (!value.is_object()) return base::refuse(Kind::kInvalid, "it is not a JSON object");
  return read_object(value, shape, to, {});
}

base::Outcome<void> read_body(std::string_view text, const Shape& shape, void* to,
                              Nearest nearest) {
  const auto value = json::parse(text.empty() ? "{}" : text, nullptr, false);
  if (!value.is_object()) {
    return base::refuse(Kind::kInvalid, "the body is not a JSON object");
  }
  return read_object(value, shape, to, {true, nearest});
}

std::string indented(std::string_view text) {
  return json::parse(text, nullptr, false).dump(2, ' ', false, kReplace);
}

std::string with_text(std::string_view text, const std::string& name,
                      const std::string& value) {
  auto object = json::parse(text, nullptr, false);
  object[name] = value;
  return object.dump(-1, ' ', false, kReplace);
}

}  // namespace vantro::api
