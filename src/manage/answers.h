// What calls are answered, as HTTP has it.
#pragma once

#include <nlohmann/json.hpp>
#include <string>

#include "api/problem.h"
#include "base/outcome.h"
#include "net/http/answer.h"

namespace vantro::manage {

// Text from outside may not be UTF-8; an answer must not fail over it.
std::string dump(const nlohmann::json& value);

net::http::Answer problem(const api::Problem& problem);
net::http::Answer refusal(const base::Refusal& refusal);
net::http::Answer text(int status, const char* type, std::string body);
net::http::Answer json_answer(int status, const nlohmann::json& value);

}  // namespace vantro::manage
