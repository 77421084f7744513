// What calls are answered, as HTTP has it.
#pragma once

#include <optional>
#include <string>

#include "api/problem.h"
#include "base/outcome.h"
#include "crypto/digests.h"
#include "net/http/answer.h"

namespace vantro::manage {

// What every answer tells browsers, beside what net::http says: to show it in no frame,
// and to run nothing that is not from here.
void guard(net::http::Answer& answer);

net::http::Answer problem(const api::Problem& problem);
net::http::Answer refusal(const base::Refusal& refusal);
// Of the bytes of an image, where the request was in order. `differing`: the checksum
// that differs, and what came has `actual` instead.
net::http::Answer unfit(const base::Refusal& refusal,
                        const std::optional<crypto::Expected>& differing,
                        const std::string& actual);
net::http::Answer text(int status, const char* type, std::string body);

inline constexpr const char* kJsonType = "application/json";

}  // namespace vantro::manage
