// What calls are answered, as HTTP has it.
#pragma once

#include <string>

#include "api/problem.h"
#include "base/outcome.h"
#include "net/http/answer.h"

namespace vantro::manage {

net::http::Answer problem(const api::Problem& problem);
net::http::Answer refusal(const base::Refusal& refusal);
net::http::Answer text(int status, const char* type, std::string body);

inline constexpr const char* kJsonType = "application/json";

}  // namespace vantro::manage
