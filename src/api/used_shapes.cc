#include "api/used_shapes.h"

#include <algorithm>
#include <fmt/format.h>

#include "api/shapes.h"

namespace vantro::api {
namespace {

// Each shape once, after those that it contains.
void collect(const Shape& shape, std::vector<const Shape*>& all) {
  if (std::find(all.begin(), all.end(), &shape) != all.end()) return;
  all.push_back(&shape);
  for (const auto& field : shape.fields()) {
    const auto* type = field.type;
    while (type->of != nullptr) type = type->of;
    if (type->kind == ValueKind::kObject) collect(type->shape(), all);
  }
}

}  // namespace

std::vector<const Shape*> shapes_of_bodies() {
  std::vector<const Shape*> all;
  for (const auto* one : operations()) {
    if (one->takes == Carries::kJson) collect(one->body(), all);
    if (one->gives == Carries::kJson && one->answer != nullptr) {
      collect(one->answer(), all);
    }
  }
  // The events of the stream, and every refusal.
  collect(shape_of<Transfer>(), all);
  collect(shape_of<Change>(), all);
  collect(shape_of<LedgerGrown>(), all);
  collect(shape_of<Problem>(), all);
  std::sort(all.begin(), all.end(), [](const auto* a, const auto* b) {
    return std::string_view(a->name()) < b->name();
  });
  return all;
}

std::vector<const Shape*> given_shapes() {
  std::vector<const Shape*> given;
  for (const auto* one : operations()) {
    if (one->takes == Carries::kJson) collect(one->body(), given);
  }
  return given;
}

bool is_in_path(const OperationInfo& operation, const Field& field) {
  return std::string_view(operation.path).find(fmt::format("{{{}}}", field.name)) !=
         std::string_view::npos;
}

}  // namespace vantro::api
