#include "manage/answers.h"

#include "api/json.h"

namespace vantro::manage {

using net::http::Answer;

Answer text(int status, const char* type, std::string body) {
  Answer answer;
  answer.status = status;
  answer.give(type, std::move(body));
  answer.set("Cache-Control", "no-store");
  return answer;
}

Answer problem(const api::Problem& problem) {
  return text(problem.status, api::kProblemType, api::json_of(problem));
}

Answer refusal(const base::Refusal& refusal) { return problem(api::problem_of(refusal)); }

}  // namespace vantro::manage
