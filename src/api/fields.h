// Shapes whose fields are named once for both directions. A unit that holds such bodies
// says `static void fields(Some<Shape> auto& x, auto visit)` in this namespace.
#pragma once

#include <concepts>
#include <nlohmann/json.hpp>
#include <type_traits>

#include "api/optional_json.h"

namespace vantro::api {

template <class T, class Shape>
concept Some = std::same_as<std::remove_const_t<T>, Shape>;

template <class T>
void put(nlohmann::json& to, const T& from) {
  to = nlohmann::json::object();
  fields(from, [&](const char* name, const auto& value) { to[name] = value; });
}

// A field that is missing keeps its default.
template <class T>
void take(const nlohmann::json& from, T& to) {
  fields(to, [&](const char* name, auto& value) {
    if (const auto found = from.find(name); found != from.end()) found->get_to(value);
  });
}

}  // namespace vantro::api
