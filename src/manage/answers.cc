#include "manage/answers.h"

namespace vantro::manage {

using net::http::Answer;
using nlohmann::json;

std::string dump(const json& value) {
  return value.dump(-1, ' ', false, json::error_handler_t::replace);
}

Answer text(int status, const char* type, std::string body) {
  Answer answer;
  answer.status = status;
  answer.give(type, std::move(body));
  answer.set("Cache-Control", "no-store");
  return answer;
}

Answer problem(const api::Problem& problem) {
  return text(problem.status, api::kProblemType, dump(problem));
}

Answer refusal(const base::Refusal& refusal) { return problem(api::problem_of(refusal)); }

Answer json_answer(int status, const json& value) {
  return text(status, "application/json", dump(value));
}

}  // namespace vantro::manage
