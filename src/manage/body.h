// Reading what a call brings: fields of a JSON body, values of the query.
#pragma once

#include <cstdint>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "catalog/catalog.h"
#include "manage/routes.h"

namespace vantro::manage {

// Nothing where it is missing or empty.
std::optional<std::string> query(const Call& call, const std::string& name);

// A body as an object. kInvalid: it is none, or has a field that is not `known`.
base::Outcome<nlohmann::json> object(const std::string& body,
                                     const std::vector<std::string>& known);

// Empty, or 0, where it is missing. kInvalid: it is of another kind.
base::Outcome<std::string> text_field(const nlohmann::json& from, const char* name);
// One text stands for a list of one.
base::Outcome<std::vector<std::string>> texts_field(const nlohmann::json& from,
                                                    const char* name);
// `otherwise` where it is missing. kInvalid: it is neither true nor false.
base::Outcome<bool> flag_field(const nlohmann::json& from, const char* name,
                               bool otherwise);
base::Outcome<std::int64_t> number_field(const nlohmann::json& from, const char* name);

// Handlers that need the service. It must outlive them.
template <class F>
JsonHandler json_handler(Service& service, F handler) {
  return [&service, handler](const Call& call) { return handler(service, call); };
}
template <class F>
BodyHandler body_handler(Service& service, F handler) {
  return [&service, handler](const Call& call, const std::string& body) {
    return handler(service, call, body);
  };
}

base::Outcome<catalog::Image> image_for(Service& service, const std::string& typed);

}  // namespace vantro::manage
