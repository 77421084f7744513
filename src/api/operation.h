// What can be called: method, path, permission, and the shapes of parameters, body and
// answer. The server dispatches and checks calls by it, the client calls through it, and
// the documentation is made from it.
#pragma once

#include <span>
#include <string>
#include <string_view>

#include "api/shape.h"
#include "api/target.h"

namespace vantro::api {

// The permission that a call needs. Each includes those before it, but for kMirror: that
// is for the role of the same name, and no other.
enum class Permission { kAnyone, kMirror, kLook, kOperate, kAdminister };
// "anyone", "mirror", "look", "operate", "administer"
const char* word(Permission permission);

// Whose objects a call changes. A mirror refuses those of headquarters.
enum class Home { kHere, kHeadquarters };

// The kind of a body, the caller's or the answer's.
enum class Carries { kNothing, kJson, kText, kBytes, kEvents };

// For Operation<>, where a body has no shape.
struct Text {};    // plain text
struct Bytes {};   // as they are
struct Json {};    // an object that is described elsewhere
struct Events {};  // server-sent events, until the caller closes the connection

struct OperationInfo {
  const char* method;
  const char* path;  // with {name} for one segment
  Permission permission;
  const char* summary;
  const Shape& (*asked)();  // in path and query
  Carries takes;
  const Shape& (*body)();  // kJson
  Carries gives;
  const Shape& (*answer)();  // kJson; null: not described here
  Home home;
};

// All of them, in the order of the documentation. See operations.h.
std::span<const OperationInfo* const> operations();

namespace detail {

template <class T>
constexpr Carries carries() {
  if constexpr (std::is_same_v<T, Text>) return Carries::kText;
  if constexpr (std::is_same_v<T, Bytes>) return Carries::kBytes;
  if constexpr (std::is_same_v<T, Events>) return Carries::kEvents;
  if constexpr (std::is_same_v<T, Json>) return Carries::kJson;
  return Carries::kJson;
}

template <class T>
constexpr auto shape_or_none() -> const Shape& (*)() {
  if constexpr (carries<T>() == Carries::kJson && !std::is_same_v<T, Json>) {
    return &shape_of<T>;
  } else {
    return nullptr;
  }
}

}  // namespace detail

template <class A, class B, class R>
struct Operation : OperationInfo {
  using Asked = A;
  using Body = B;
  using Answer = R;

  constexpr Operation(const char* method_, const char* path_, const char* summary_,
                      Permission permission_, Home home_ = Home::kHere)
      : OperationInfo{
            method_,
            path_,
            permission_,
            summary_,
            &shape_of<A>,
            std::is_same_v<B, Nothing> ? Carries::kNothing : detail::carries<B>(),
            detail::shape_or_none<B>(),
            detail::carries<R>(),
            detail::shape_or_none<R>(),
            home_} {}

  std::string target(const A& what = {}) const { return api::target(path, what); }
};

}  // namespace vantro::api
