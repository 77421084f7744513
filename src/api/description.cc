#include "api/description.h"

#include <algorithm>
#include <cctype>
#include <fmt/format.h>
#include <functional>
#include <limits>
#include <nlohmann/json.hpp>
#include <vector>

#include "api/json.h"
#include "api/operation.h"
#include "api/problem.h"
#include "api/shapes.h"
#include "api/used_shapes.h"
#include "base/visible_name.h"

namespace vantro::api {
namespace {

using json = nlohmann::ordered_json;

const char* words(Unit unit) {
  switch (unit) {
    case Unit::kNone:
      return "";
    case Unit::kTime:
      return "time, RFC 3339 in UTC";
    case Unit::kBytes:
      return "bytes";
    case Unit::kBytesPerSecond:
      return "bytes per second";
    case Unit::kSeconds:
      return "seconds";
    case Unit::kMilliseconds:
      return "milliseconds";
    case Unit::kDays:
      return "days";
  }
  return "";
}

bool is_open_ended(std::int64_t most) {
  return most == std::numeric_limits<std::int64_t>::max();
}

// -- OpenAPI --

json schema_of(const Type& type, const Field& field) {
  json schema;
  const auto name_type = [&](const char* name) {
    schema["type"] = type.optional ? json{name, "null"} : json(name);
  };
  switch (type.kind) {
    case ValueKind::kText:
      name_type("string");
      if (!field.choices.empty()) {
        schema["enum"] = field.choices;
        if (type.optional) schema["enum"].push_back(nullptr);
      }
      break;
    case ValueKind::kFlag:
      name_type("boolean");
      break;
    case ValueKind::kWhole:
      name_type("integer");
      if (field.least != 0) schema["minimum"] = field.least;
      if (!is_open_ended(field.most)) schema["maximum"] = field.most;
      break;
    case ValueKind::kNumber:
      name_type("number");
      break;
    case ValueKind::kList:
      name_type("array");
      schema["items"] = schema_of(*type.of, field);
      break;
    case ValueKind::kMap:
      name_type("object");
      schema["additionalProperties"] = schema_of(*type.of, field);
      break;
    case ValueKind::kObject: {
      const json reference{
          {"$ref", fmt::format("#/components/schemas/{}", type.shape().name())}};
      if (!type.optional) return reference;
      schema["anyOf"] = json::array({reference, json{{"type", "null"}}});
      break;
    }
  }
  return schema;
}

// A field's default value; null where it has no useful one.
json default_of(const Shape& shape, const Field& field) {
  if (field.type->optional || field.needed) return nullptr;
  std::string text;
  append_json(text, *field.type, field.in(shape.defaults()));
  auto value = json::parse(text);
  const bool says_nothing = value.is_structured() || text == "\"\"" || text == "0" ||
                            text == "0.0" || text == "false";
  return says_nothing ? json(nullptr) : value;
}

std::string meaning_of(const Field& field) {
  const std::string unit = words(field.unit);
  return unit.empty() ? field.meaning : fmt::format("{} ({})", field.meaning, unit);
}

// `answered`: every field is present; else only the required ones.
json schema_of(const Shape& shape, bool answered) {
  json schema{{"type", "object"}, {"description", shape.meaning()}};
  auto properties = json::object();
  auto required = json::array();
  for (const auto& field : shape.fields()) {
    auto one = schema_of(*field.type, field);
    one["description"] = meaning_of(field);
    const auto otherwise = default_of(shape, field);
    if (!answered && !otherwise.is_null()) one["default"] = otherwise;
    properties[field.name] = std::move(one);
    if (answered || field.needed) required.push_back(field.name);
  }
  schema["properties"] = std::move(properties);
  if (!required.empty()) schema["required"] = std::move(required);
  if (!answered) schema["additionalProperties"] = false;
  return schema;
}

json parameters_of(const OperationInfo& operation) {
  auto all = json::array();
  for (const auto& field : operation.asked().fields()) {
    const bool in_path = is_in_path(operation, field);
    json one{{"name", field.name},
             {"in", in_path ? "path" : "query"},
             {"description", meaning_of(field)},
             {"required", in_path || field.needed}};
    auto type = *field.type;
    type.optional = false;
    one["schema"] = schema_of(type, field);
    const auto otherwise = default_of(operation.asked(), field);
    if (!in_path && !otherwise.is_null()) one["schema"]["default"] = otherwise;
    // Lists are separated by commas; a map is NAME.KEY=TEXT.
    if (type.kind == ValueKind::kList) {
      one["style"] = "form";
      one["explode"] = false;
    }
    all.push_back(std::move(one));
  }
  return all;
}

json content_of(Carries what, const Shape& (*shape)()) {
  switch (what) {
    case Carries::kNothing:
      return json::object();
    case Carries::kJson:
      return {{"application/json",
               {{"schema", shape == nullptr
                               ? json{{"type", "object"}}
                               : json{{"$ref", fmt::format("#/components/schemas/{}",
                                                           shape().name())}}}}}};
    case Carries::kText:
      return {{"text/plain", {{"schema", {{"type", "string"}}}}}};
    case Carries::kBytes:
      return {{"application/octet-stream",
               {{"schema", {{"type", "string"}, {"format", "binary"}}}}}};
    case Carries::kEvents:
      return {{"text/event-stream", {{"schema", {{"type", "string"}}}}}};
  }
  return json::object();
}

// -- Markdown --

std::string link_to(const Shape& shape) {
  return fmt::format("[{}](#{})", shape.name(), base::folded(shape.name()));
}

std::string type_text(const Type& type, const Field& field) {
  switch (type.kind) {
    case ValueKind::kText:
      if (field.choices.empty()) return "text";
      return fmt::format("`{}`", fmt::join(field.choices, "`, `"));
    case ValueKind::kFlag:
      return "true or false";
    case ValueKind::kWhole:
      if (!is_open_ended(field.most)) {
        return fmt::format("{} to {}", field.least, field.most);
      }
      return field.least == 0 ? "whole number"
                              : fmt::format("whole number from {} up", field.least);
    case ValueKind::kNumber:
      return "number";
    case ValueKind::kList:
      return "list of " + type_text(*type.of, field);
    case ValueKind::kMap:
      return "texts by name";
    case ValueKind::kObject:
      return link_to(type.shape());
  }
  return "";
}

std::string field_line(const Shape& shape, const Field& field, bool answered) {
  auto type = type_text(*field.type, field);
  if (const std::string unit = words(field.unit); !unit.empty()) {
    type = field.unit == Unit::kTime ? unit : type + ", " + unit;
  }
  if (field.type->optional && answered) type += ", or null";
  if (field.needed) type += "; needed";
  const auto otherwise = default_of(shape, field);
  if (!answered && !otherwise.is_null()) {
    type += otherwise.is_string()
                ? fmt::format("; `{}` if not given", otherwise.get<std::string>())
                : fmt::format("; {} if not given", otherwise.dump());
  }
  return fmt::format("| `{}` | {} | {} |\n", field.name, type, field.meaning);
}

std::string carried(Carries what, const Shape& (*shape)()) {
  switch (what) {
    case Carries::kNothing:
      return "";
    case Carries::kJson:
      return shape == nullptr ? "JSON" : link_to(shape());
    case Carries::kText:
      return "plain text";
    case Carries::kBytes:
      return "bytes";
    case Carries::kEvents:
      return "events";
  }
  return "";
}

}  // namespace

std::string openapi(const std::string& version) {
  json document{
      {"openapi", "3.1.0"},
      {"info",
       {{"title", "The management API of vantrod"},
        {"version", version},
        {"description",
         "Times are RFC 3339 in UTC with milliseconds, sizes are bytes, digests "
         "lower-case hexadecimal; what may be unknown is null. A name in a path is one "
         "segment: a slash in it is written %2F."}}}};
  auto paths = json::object();
  for (const auto* one : operations()) {
    json operation{{"summary", one->summary}, {"parameters", parameters_of(*one)}};
    if (one->takes != Carries::kNothing) {
      operation["requestBody"] = {{"content", content_of(one->takes, one->body)}};
    }
    operation["responses"] = {{"200",
                               {{"description", "what was asked"},
                                {"content", content_of(one->gives, one->answer)}}},
                              {"default", {{"$ref", "#/components/responses/Refusal"}}}};
    if (one->permission == Permission::kAnyone) {
      operation["security"] = json::array();
    } else {
      operation["description"] = fmt::format("Needs the role {}.", word(one->permission));
    }
    std::string method = one->method;
    std::transform(method.begin(), method.end(), method.begin(),
                   [](unsigned char c) { return std::tolower(c); });
    paths[one->path][method] = std::move(operation);
  }
  document["paths"] = std::move(paths);
  auto schemas = json::object();
  const auto given = given_shapes();
  for (const auto* shape : shapes_of_bodies()) {
    const bool answered = std::find(given.begin(), given.end(), shape) == given.end();
    schemas[shape->name()] = schema_of(*shape, answered);
  }
  document["components"] = {
      {"schemas", std::move(schemas)},
      {"responses",
       {{"Refusal",
         {{"description", "a refusal (RFC 9457)"},
          {"content",
           {{kProblemType,
             {{"schema", {{"$ref", "#/components/schemas/Problem"}}}}}}}}}}},
      {"securitySchemes", {{"token", {{"type", "http"}, {"scheme", "bearer"}}}}}};
  document["security"] = json::array({{{"token", json::array()}}});
  return document.dump(2);
}

std::string reference() {
  std::string text = "## Operations\n";
  for (const auto* one : operations()) {
    text += fmt::format("\n### `{} {}`\n\n", one->method, one->path);
    std::string summary = one->summary;
    summary.front() = static_cast<char>(std::toupper(summary.front()));
    text += summary + ".";
    text += one->permission == Permission::kAnyone
                ? " Needs no token."
                : fmt::format(" Needs the role `{}`.", word(one->permission));
    const auto body = carried(one->takes, one->body);
    if (!body.empty()) text += fmt::format(" Body: {}.", body);
    text += fmt::format(" Answer: {}.\n", carried(one->gives, one->answer));
    const auto fields = one->asked().fields();
    if (fields.empty()) continue;
    text += "\n| asked | type | meaning |\n| --- | --- | --- |\n";
    for (const auto& field : fields) text += field_line(one->asked(), field, false);
  }
  text += "\n## Shapes\n";
  const auto given = given_shapes();
  for (const auto* shape : shapes_of_bodies()) {
    std::string meaning = shape->meaning();
    meaning.front() = static_cast<char>(std::toupper(meaning.front()));
    text += fmt::format("\n### {}\n\n{}.\n", shape->name(), meaning);
    if (shape->fields().empty()) continue;
    text += "\n| field | type | meaning |\n| --- | --- | --- |\n";
    const bool answered = std::find(given.begin(), given.end(), shape) == given.end();
    for (const auto& field : shape->fields()) text += field_line(*shape, field, answered);
  }
  return text;
}

}  // namespace vantro::api
