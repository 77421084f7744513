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

Answer unfit(const base::Refusal& refusal,
             const std::optional<crypto::Expected>& differing,
             const std::string& actual) {
  auto told = api::problem_of(refusal);
  // The request was valid when it began; the refusal is about its bytes (RFC 9110,
  // 15.5.21).
  if (told.status == 400) told.status = 422;
  if (differing) {
    told.expected = differing->hex;
    told.actual = actual;
  }
  return problem(told);
}

Answer refusal(const base::Refusal& refusal) { return problem(api::problem_of(refusal)); }

}  // namespace vantro::manage
