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

namespace {

// Where a value lies: in the row, or in an object in it.
struct Place {
  std::string name;
  json::json_pointer way;
};

// `object`: the last name of `way`, or empty for the row itself.
void add_places(std::vector<Place>& places, const Shape& shape,
                const json::json_pointer& way, const std::string& object) {
  for (const auto& field : shape.fields()) {
    if (!has_one_value(*field.type)) continue;
    std::string name = field.name;
    for (const auto& other : places) {
      if (other.name == name) name = object + "_" + field.name;
    }
    places.push_back({name, way / field.name});
  }
  for (const auto& field : shape.fields()) {
    if (field.type->kind != ValueKind::kObject) continue;
    add_places(places, field.type->shape(), way / field.name, field.name);
  }
}

}  // namespace

Rows rows_of(std::string_view text, const Shape& shape) {
  Rows all;
  const auto* list = list_in(shape);
  std::vector<Place> places;
  add_places(places, shape_in(*list), json::json_pointer(), "");
  for (const auto& one : places) all.names.push_back(one.name);
  const auto answer = json::parse(text, nullptr, /*allow_exceptions=*/false);
  if (!answer.is_object() || !answer.contains(list->name)) return all;
  for (const auto& one : answer[list->name]) {
    Rows::Row row{one.dump(-1, ' ', false, json::error_handler_t::replace), {}};
    for (const auto& place : places) {
      row.values.push_back(one.contains(place.way) ? text_of(one[place.way]) : "");
    }
    all.rows.push_back(std::move(row));
  }
  return all;
}

}  // namespace vantro::api
