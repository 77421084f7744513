#include "manage/answers.h"

#include "api/json.h"

namespace vantro::manage {

using net::http::Answer;

void guard(Answer& answer) {
  answer.set("X-Frame-Options", "DENY");
  answer.set("Content-Security-Policy",
             "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; "
             "connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors "
             "'none'");
  answer.set("Referrer-Policy", "no-referrer");
  answer.set("Cache-Control", "no-store");
}

Answer text(int status, const char* type, std::string body) {
  Answer answer;
  answer.status = status;
  answer.give(type, std::move(body));
  guard(answer);
  return answer;
}

Answer problem(const api::Problem& problem) {
  return text(problem.status, api::kProblemType, api::json_of(problem));
}

Answer refusal(const base::Refusal& refusal) { return problem(api::problem_of(refusal)); }

}  // namespace vantro::manage
