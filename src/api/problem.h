// Refusals as HTTP problems (RFC 9457).
#pragma once

#include "api/shapes.h"
#include "base/outcome.h"

namespace vantro::api {

Problem problem_of(const base::Refusal& refusal);

inline constexpr const char* kProblemType = "application/problem+json";

}  // namespace vantro::api
