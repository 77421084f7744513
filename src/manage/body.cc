#include "manage/body.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>

#include "base/visible_name.h"
#include "text/nearest.h"

namespace vantro::manage {

using base::Kind;
using nlohmann::json;

std::optional<std::string> query(const Call& call, const std::string& name) {
  const auto found = call.query.find(name);
  if (found == call.query.end() || found->second.empty()) return std::nullopt;
  return found->second;
}

base::Outcome<json> object(const std::string& body,
                           const std::vector<std::string>& known) {
  auto value = json::parse(body.empty() ? "{}" : body, nullptr, false);
  if (!value.is_object()) {
    return base::refuse(Kind::kInvalid, "the body is no JSON object");
  }
  for (const auto& [name, field] : value.items()) {
    if (std::find(known.begin(), known.end(), name) == known.end()) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' is no field here; there are {}",
                                      base::printable(name, 40), fmt::join(known, ", ")),
                          text::nearest(name, known).value_or(""));
    }
  }
  return value;
}

base::Outcome<std::string> text_field(const json& from, const char* name) {
  const auto found = from.find(name);
  if (found == from.end() || found->is_null()) return std::string();
  if (!found->is_string()) {
    return base::refuse(Kind::kInvalid, fmt::format("'{}' must be a text", name));
  }
  return found->get<std::string>();
}

base::Outcome<std::vector<std::string>> texts_field(const json& from, const char* name) {
  std::vector<std::string> texts;
  const auto found = from.find(name);
  if (found == from.end() || found->is_null()) return texts;
  if (found->is_string()) return std::vector{found->get<std::string>()};
  for (const auto& one : *found) {
    if (!found->is_array() || !one.is_string()) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' must be a list of texts", name));
    }
    texts.push_back(one.get<std::string>());
  }
  return texts;
}

base::Outcome<bool> flag_field(const json& from, const char* name, bool otherwise) {
  const auto found = from.find(name);
  if (found == from.end()) return otherwise;
  if (!found->is_boolean()) {
    return base::refuse(Kind::kInvalid, fmt::format("'{}' must be true or false", name));
  }
  return found->get<bool>();
}

base::Outcome<std::int64_t> number_field(const json& from, const char* name) {
  const auto found = from.find(name);
  if (found == from.end() || found->is_null()) return std::int64_t{0};
  if (!found->is_number_integer() || found->get<std::int64_t>() < 0) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("'{}' must be a whole number from 0 up", name));
  }
  return found->get<std::int64_t>();
}

base::Outcome<catalog::Image> image_for(Service& service, const std::string& typed) {
  const auto name = base::visible_name(typed);
  if (!name) return base::refuse(name.error());
  return service.repository.catalog.find(*name);
}

}  // namespace vantro::manage
