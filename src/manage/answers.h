// The answers to calls, as HTTP.
#pragma once

#include <optional>
#include <string>

#include "api/problem.h"
#include "base/outcome.h"
#include "crypto/digests.h"
#include "net/http/answer.h"

namespace vantro::manage {

// Headers of every answer for browsers, beside those of net::http: show it in no frame,
// and run nothing from elsewhere.
void guard(net::http::Answer& answer);

net::http::Answer problem(const api::Problem& problem);
net::http::Answer refusal(const base::Refusal& refusal);
// For the bytes of an image in a valid request. `differing`: the checksum that differs;
// the received bytes have `actual` instead.
net::http::Answer unfit(const base::Refusal& refusal,
                        const std::optional<crypto::Expected>& differing,
                        const std::string& actual);
net::http::Answer text(int status, const char* type, std::string body);

inline constexpr const char* kJsonType = "application/json";

}  // namespace vantro::manage
