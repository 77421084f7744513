#include "client/error.h"

#include <fmt/format.h>

#include "api/json.h"

namespace vantro::client {

std::string error_json(const Failure& failure) {
  auto inner =
      api::with_text(fmt::format("{{\"exit_code\": {}}}", static_cast<int>(failure.code)),
                     "message", failure.sentence);
  if (!failure.problem.nearest.empty()) {
    inner = api::with_text(inner, "nearest", failure.problem.nearest);
  }
  return api::indented("{\"error\": " + inner + "}") + "\n";
}

}  // namespace vantro::client
