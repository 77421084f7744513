// What may be unknown is null in JSON. For the units that hold the shapes' bodies.
#pragma once

#include <nlohmann/json.hpp>
#include <optional>

namespace nlohmann {

template <class T>
struct adl_serializer<std::optional<T>> {
  static void to_json(json& to, const std::optional<T>& from) {
    if (from) {
      to = *from;
    } else {
      to = nullptr;
    }
  }
  static void from_json(const json& from, std::optional<T>& to) {
    if (from.is_null()) {
      to.reset();
    } else {
      to = from.get<T>();
    }
  }
};

}  // namespace nlohmann
