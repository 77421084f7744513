#include "api/typescript.h"

#include <algorithm>
#include <fmt/format.h>
#include <vector>

#include "api/operation.h"
#include "api/used_shapes.h"

namespace vantro::api {
namespace {

constexpr const char* kHead =
    "// Made by scripts/api-docs from the server's table of operations. Do not edit.\n";

std::string type_text(const Type& type, const Field& field) {
  switch (type.kind) {
    case ValueKind::kText:
      if (field.choices.empty()) return "string";
      return fmt::format("\"{}\"", fmt::join(field.choices, "\" | \""));
    case ValueKind::kFlag:
      return "boolean";
    case ValueKind::kWhole:
    case ValueKind::kNumber:
      return "number";
    case ValueKind::kList:
      return fmt::format("readonly ({})[]", type_text(*type.of, field));
    case ValueKind::kMap:
      return "Readonly<Record<string, string>>";
    case ValueKind::kObject:
      return type.shape().name();
  }
  return "unknown";
}

// `answered`: every field is present, perhaps as null; else only the required ones.
std::string members(const Shape& shape, bool answered, const char* indent) {
  std::string text;
  for (const auto& field : shape.fields()) {
    const bool may_be_null = answered && field.type->optional;
    text += fmt::format("{}readonly {}{}: {}{};\n", indent, field.name,
                        answered || field.needed ? "" : "?",
                        type_text(*field.type, field), may_be_null ? " | null" : "");
  }
  return text;
}

std::string carried(Carries what, const Shape& (*shape)()) {
  switch (what) {
    case Carries::kNothing:
    case Carries::kEvents:
      return "undefined";
    case Carries::kJson:
      return shape == nullptr ? "unknown" : shape().name();
    case Carries::kText:
      return "string";
    case Carries::kBytes:
      return "Blob";
  }
  return "unknown";
}

}  // namespace

std::string typescript() {
  std::string text = kHead;
  const auto given = given_shapes();
  for (const auto* shape : shapes_of_bodies()) {
    const bool answered = std::find(given.begin(), given.end(), shape) == given.end();
    text += fmt::format("\n/** {} */\nexport interface {} {{\n{}}}\n", shape->meaning(),
                        shape->name(), members(*shape, answered, "  "));
  }
  text +=
      "\n/** What each operation asks for in path and query, takes and gives. */\n"
      "export interface Operations {\n";
  for (const auto* one : operations()) {
    const auto asked = members(one->asked(), false, "      ");
    text += fmt::format("  \"{} {}\": {{\n", one->method, one->path);
    text += asked.empty() ? "    asked: Nothing;\n"
                          : fmt::format("    asked: {{\n{}    }};\n", asked);
    text += fmt::format("    body: {};\n    answer: {};\n  }};\n",
                        carried(one->takes, one->body), carried(one->gives, one->answer));
  }
  text +=
      "}\n\nexport type OperationName = keyof Operations;\n\n"
      "/** The role that each operation needs. */\n"
      "export const roles = {\n";
  for (const auto* one : operations()) {
    text += fmt::format("  \"{} {}\": \"{}\",\n", one->method, one->path,
                        word(one->permission));
  }
  return text + "} as const;\n";
}

}  // namespace vantro::api
