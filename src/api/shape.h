// What crosses the management API, described once: each shape's fields with name, type,
// unit and meaning. Reading and writing (json.h, target.h), the documentation and the
// OpenAPI description (description.h) use it. The JSON library does not appear here, as
// its templates cost every unit that includes them several seconds.
#pragma once

#include <concepts>
#include <cstdint>
#include <limits>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace vantro::api {

enum class Unit {
  kNone,
  kTime,  // RFC 3339 in UTC with milliseconds, as text
  kBytes,
  kBytesPerSecond,
  kSeconds,
  kMilliseconds,
  kDays,
};

enum class ValueKind { kText, kFlag, kWhole, kNumber, kList, kMap, kObject };

class Shape;

// How values of one C++ type are stored. There is one for each type.
struct Type {
  ValueKind kind = ValueKind::kText;
  const Type* of = nullptr;           // kList, kMap: of the items
  const Shape& (*shape)() = nullptr;  // kObject
  bool optional = false;              // may be null in JSON, and missing
  // optional: the value in it, or null; and how to give it a value, or none.
  const void* (*held)(const void* optional) = nullptr;
  void* (*fill)(void* optional) = nullptr;
  void (*clear)(void* optional) = nullptr;
  // kWhole. False: it does not fit.
  std::int64_t (*whole)(const void* value) = nullptr;
  bool (*set_whole)(void* value, std::int64_t to) = nullptr;
  // kList.
  std::size_t (*size)(const void* list) = nullptr;
  const void* (*at)(const void* list, std::size_t index) = nullptr;
  void* (*add)(void* list) = nullptr;
};

struct Field {
  const char* name;
  const char* meaning;
  Unit unit = Unit::kNone;
  bool needed = false;  // a call without it is refused
  std::int64_t least = 0, most = std::numeric_limits<std::int64_t>::max();  // kWhole
  std::vector<const char*> choices = {};  // kText: the only allowed values; none: any
  const Type* type = nullptr;
  void* (*member)(void* object) = nullptr;

  const void* in(const void* object) const { return member(const_cast<void*>(object)); }
};

class Shape {
 public:
  Shape(const char* name, const char* meaning) : name_(name), meaning_(meaning) {}
  // Moved only: by_name() points into it.
  Shape(Shape&&) = default;
  Shape& operator=(Shape&&) = default;

  const char* name() const { return name_; }
  const char* meaning() const { return meaning_; }
  // In the order in which they were declared.
  std::span<const Field> fields() const { return fields_; }
  // By name; null: there is none.
  const Field* find(std::string_view name) const;
  // An object with all defaults.
  const void* defaults() const { return defaults_(); }
  // In the order of their names.
  std::span<const Field* const> by_name() const { return by_name_; }
  std::vector<std::string> names() const;

 protected:
  // Not in ShapeOf, to compile little for each field and each type.
  void add(const char* name, const char* meaning, Unit unit, const Type& type,
           void* (*member)(void* object));
  void finish(const void* (*its_defaults)());

  std::vector<Field> fields_;

 private:
  std::vector<const Field*> by_name_;
  const void* (*defaults_)() = nullptr;
  const char* name_;
  const char* meaning_;
};

// Declared with VANTRO_SHAPE beside each struct, defined with its fields' meanings.
template <class T>
const Shape& shape_of();
#define VANTRO_SHAPE(type) \
  template <>              \
  const Shape& shape_of<type>();

// -- Types --

template <class T>
const Type& type_of();

namespace detail {

template <class T>
struct TypeOf {
  static Type make() { return {.kind = ValueKind::kObject, .shape = &shape_of<T>}; }
};

template <>
struct TypeOf<std::string> {
  static Type make() { return {.kind = ValueKind::kText}; }
};

template <>
struct TypeOf<bool> {
  static Type make() { return {.kind = ValueKind::kFlag}; }
};

template <>
struct TypeOf<double> {
  static Type make() { return {.kind = ValueKind::kNumber}; }
};

template <std::integral T>
struct TypeOf<T> {
  static Type make() {
    Type type{.kind = ValueKind::kWhole};
    type.whole = [](const void* value) {
      return static_cast<std::int64_t>(*static_cast<const T*>(value));
    };
    type.set_whole = [](void* value, std::int64_t to) {
      if (!std::in_range<T>(to)) return false;
      *static_cast<T*>(value) = static_cast<T>(to);
      return true;
    };
    return type;
  }
};

template <class T>
struct TypeOf<std::vector<T>> {
  static Type make() {
    Type type{.kind = ValueKind::kList, .of = &type_of<T>()};
    type.size = [](const void* list) {
      return static_cast<const std::vector<T>*>(list)->size();
    };
    type.at = [](const void* list, std::size_t index) -> const void* {
      return &(*static_cast<const std::vector<T>*>(list))[index];
    };
    type.add = [](void* list) -> void* {
      return &static_cast<std::vector<T>*>(list)->emplace_back();
    };
    return type;
  }
};

template <>
struct TypeOf<std::map<std::string, std::string>> {
  static Type make() { return {.kind = ValueKind::kMap, .of = &type_of<std::string>()}; }
};

template <class T>
struct TypeOf<std::optional<T>> {
  static Type make() {
    auto type = type_of<T>();
    type.optional = true;
    type.held = [](const void* optional) -> const void* {
      const auto& value = *static_cast<const std::optional<T>*>(optional);
      return value ? &*value : nullptr;
    };
    type.fill = [](void* optional) -> void* {
      return &static_cast<std::optional<T>*>(optional)->emplace();
    };
    type.clear = [](void* optional) {
      static_cast<std::optional<T>*>(optional)->reset();
    };
    return type;
  }
};

}  // namespace detail

template <class T>
const Type& type_of() {
  static const Type type = detail::TypeOf<T>::make();
  return type;
}

// -- Declaring --

template <class T>
class ShapeOf : public Shape {
 public:
  using Shape::Shape;

  template <auto kMember>
  ShapeOf&& field(const char* name, const char* meaning, Unit unit = Unit::kNone) && {
    using Value = std::remove_reference_t<decltype(std::declval<T&>().*kMember)>;
    add(name, meaning, unit, type_of<Value>(),
        [](void* object) -> void* { return &(static_cast<T*>(object)->*kMember); });
    return std::move(*this);
  }

  // All are declared.
  Shape done() &&;

  // Of the field declared last.
  ShapeOf&& needed() && {
    fields_.back().needed = true;
    return std::move(*this);
  }
  ShapeOf&& range(std::int64_t least,
                  std::int64_t most = std::numeric_limits<std::int64_t>::max()) && {
    fields_.back().least = least;
    fields_.back().most = most;
    return std::move(*this);
  }
  ShapeOf&& choices(std::vector<const char*> all) && {
    fields_.back().choices = std::move(all);
    return std::move(*this);
  }
};

template <class T>
Shape ShapeOf<T>::done() && {
  finish([]() -> const void* {
    static const T object;
    return &object;
  });
  return std::move(*this);
}

// -- Texts by name --

// The fields that are optional texts, and given; and how to set them from such a map. A
// name without such a field is ignored.
std::map<std::string, std::string> given_texts(const Shape& shape, const void* object);
template <class T>
std::map<std::string, std::string> given_texts(const T& object) {
  return given_texts(shape_of<T>(), &object);
}
void set_texts(const Shape& shape, void* object,
               const std::map<std::string, std::string>& texts);
template <class T>
T with_texts(T object, const std::map<std::string, std::string>& texts) {
  set_texts(shape_of<T>(), &object, texts);
  return object;
}

// Where there is nothing to say.
struct Nothing {};
VANTRO_SHAPE(Nothing)

}  // namespace vantro::api
