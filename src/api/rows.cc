#include "api/rows.h"

#include <nlohmann/json.hpp>

namespace vantro::api {
namespace {

using nlohmann::json;

const Shape& shape_in(const Field& list) { return list.type->of->shape(); }

std::string text_of(const json& value) {
  if (value.is_string()) return value.get<std::string>();
  if (value.is_null()) return "";
  if (!value.is_array()) return value.dump();
  std::string all;
  for (const auto& one : value) {
    if (!one.is_string()) return "";
    all += (all.empty() ? "" : " ") + one.get<std::string>();
  }
  return all;
}

bool has_one_value(const Type& type) {
  const auto& inner = type.kind == ValueKind::kList ? *type.of : type;
  return inner.kind == ValueKind::kText ||
         (type.kind != ValueKind::kList &&
          (inner.kind == ValueKind::kFlag || inner.kind == ValueKind::kWhole ||
           inner.kind == ValueKind::kNumber));
}

}  // namespace

const Field* list_in(const Shape& shape) {
  for (const auto& field : shape.fields()) {
    const auto& type = *field.type;
    if (type.kind == ValueKind::kList && type.of->kind == ValueKind::kObject) {
      return &field;
    }
  }
  return nullptr;
}

Rows rows_of(std::string_view text, const Shape& shape) {
  Rows all;
  const auto* list = list_in(shape);
  for (const auto& field : shape_in(*list).fields()) {
    if (has_one_value(*field.type)) all.names.emplace_back(field.name);
  }
  const auto answer = json::parse(text, nullptr, /*allow_exceptions=*/false);
  if (!answer.is_object() || !answer.contains(list->name)) return all;
  for (const auto& one : answer[list->name]) {
    Rows::Row row{one.dump(-1, ' ', false, json::error_handler_t::replace), {}};
    for (const auto& name : all.names) {
      row.values.push_back(one.contains(name) ? text_of(one[name]) : "");
    }
    all.rows.push_back(std::move(row));
  }
  return all;
}

}  // namespace vantro::api
