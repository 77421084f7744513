// Refusals as HTTP problems (RFC 9457).
#pragma once

#include "api/shapes.h"
#include "base/outcome.h"

namespace vantro::api {

int http_status(base::Kind kind);
Problem problem_of(const base::Refusal& refusal);

inline constexpr const char* kProblemType = "application/problem+json";

}  // namespace vantro::api
