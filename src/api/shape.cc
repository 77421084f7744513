#include "api/shape.h"

#include <algorithm>

namespace vantro::api {

void Shape::add(const char* name, const char* meaning, Unit unit, const Type& type,
                void* (*member)(void* object)) {
  Field one{name, meaning};
  one.unit = unit;
  one.type = &type;
  one.member = member;
  fields_.push_back(std::move(one));
}

void Shape::finish(const void* (*its_defaults)()) {
  for (const auto& one : fields_) by_name_.push_back(&one);
  std::sort(by_name_.begin(), by_name_.end(), [](const auto* a, const auto* b) {
    return std::string_view(a->name) < b->name;
  });
  defaults_ = its_defaults;
}

const Field* Shape::find(std::string_view name) const {
  for (const auto& one : fields_) {
    if (one.name == name) return &one;
  }
  return nullptr;
}

std::vector<std::string> Shape::names() const {
  std::vector<std::string> names;
  for (const auto& one : fields_) names.emplace_back(one.name);
  return names;
}

std::map<std::string, std::string> given_texts(const Shape& shape, const void* object) {
  std::map<std::string, std::string> texts;
  for (const auto& field : shape.fields()) {
    if (field.type->kind != ValueKind::kText || !field.type->optional) continue;
    const auto* held = field.type->held(field.in(object));
    if (held != nullptr)
      texts.emplace(field.name, *static_cast<const std::string*>(held));
  }
  return texts;
}

void set_texts(const Shape& shape, void* object,
               const std::map<std::string, std::string>& texts) {
  for (const auto& [name, text] : texts) {
    const auto* field = shape.find(name);
    if (field == nullptr || field->type->kind != ValueKind::kText) continue;
    auto* value = field->member(object);
    if (field->type->optional) value = field->type->fill(value);
    *static_cast<std::string*>(value) = text;
  }
}

template <>
const Shape& shape_of<Nothing>() {
  static const Shape shape = ShapeOf<Nothing>("Nothing", "an empty object").done();
  return shape;
}

}  // namespace vantro::api
