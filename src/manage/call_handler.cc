#include "manage/call_handler.h"

#include "base/overloaded.h"
#include "base/visible_name.h"
#include "crypto/secret.h"
#include "manage/answers.h"
#include "manage/bodies.h"
#include "manage/image_routes.h"

namespace vantro::manage {
namespace {

using base::Kind;
using net::http::Answer;
using net::http::Connection;

bool holds(std::string_view header, const std::string& token) {
  constexpr std::string_view kScheme = "bearer ";
  return base::folded(header.substr(0, kScheme.size())) == kScheme &&
         crypto::equal_secrets(header.substr(kScheme.size()), token);
}

Answer unauthorized() {
  api::Problem unauthorized;
  unauthorized.type = "urn:vantro:problem:unauthorized";
  unauthorized.title = "The token is missing or wrong";
  unauthorized.status = 401;
  unauthorized.kind = "unauthorized";
  unauthorized.detail =
      "the token is missing or wrong; it stands in the file 'token' of the server's "
      "state folder, and goes into 'Authorization: Bearer TOKEN'";
  auto answer = problem(unauthorized);
  answer.set("WWW-Authenticate", "Bearer");
  answer.close = true;
  return answer;
}

// Bytes of a file on their way to whoever called.
class Download final : public net::http::Delivery {
 public:
  explicit Download(Content content) : content_(std::move(content)) {}

  int file() const override { return content_.file.get(); }
  std::uint64_t file_size() const override { return content_.size; }
  void moved(std::uint64_t /*acknowledged*/, bool /*stalled*/) override {}
  void ended(net::TcpLane& /*lane*/, net::http::End /*how*/,
             const std::string& /*why*/) override {}

 private:
  Content content_;
};

Answer content_answer(base::Outcome<Content> content) {
  if (!content) return refusal(content.error());
  Answer answer;
  answer.set("Content-Type", "application/octet-stream");
  if (!content->sha256.empty()) answer.set("X-Vantro-SHA-256", content->sha256);
  answer.length = content->size;
  if (content->size > 0) answer.body.push_back({"", 0, content->size});
  answer.delivery = std::make_shared<Download>(std::move(*content));
  return answer;
}

const char* content_type(api::Carries what) {
  return what == api::Carries::kText ? "text/plain; charset=utf-8" : kJsonType;
}

}  // namespace

CallDesk::CallDesk(const net::Services& services, net::WorkPool& slow_pool, Service& what,
                   Access tokens)
    : disk(services.disk),
      slow(slow_pool),
      log(services.log),
      service(what),
      access(std::move(tokens)),
      routes(make_routes(what)),
      events(std::make_shared<EventFeed>(what, services.disk)) {}

CallHandler::~CallHandler() = default;

Answer CallHandler::problem(int status, const std::string& why) {
  auto problem = api::problem_of({Kind::kInvalid, why});
  problem.status = status;
  return manage::problem(problem);
}

void CallHandler::stray(const std::string& why) {
  desk_->log.debug("management: what came is no call",
                   {{"peer", peer_.text()}, {"why", why}});
}

void CallHandler::request(const net::http::Head& head) {
  auto matched = match(desk_->routes, head.method, head.target);
  const bool open_to_all =
      matched && matched->route->operation->permission == api::Permission::kAnyone;
  // Before anything is said about what there is.
  const auto authorization = head.field("authorization");
  const bool sees_secrets = holds(authorization, desk_->access.secrets_token);
  if (!open_to_all && !sees_secrets && !holds(authorization, desk_->access.token)) {
    return connection_.answer(unauthorized());
  }
  if (!matched) return connection_.answer(refusal(matched.error()));
  auto& call = matched->call;
  call.may_see_secrets = sees_secrets;
  // Both tokens are the operator's.
  call.caller = {"operator", "operator", peer_};
  const auto& route = *matched->route;
  std::visit(base::Overloaded{
                 [&](const TextWork& work) { answer_text(route, work, head, call); },
                 [&](const ContentWork& work) {
                   answer_from(desk_->disk,
                               [call, &work] { return content_answer(work(call)); });
                 },
                 [&](const ImageUpload&) { take_image(head, call); },
                 [&](const EventStream&) { begin_stream(); },
             },
             route.work);
}

void CallHandler::answer_text(const Route& route, const TextWork& work,
                              const net::http::Head& head, const Call& call) {
  auto& pool = route.slow ? desk_->slow : desk_->disk;
  const auto& operation = *route.operation;
  // As text it goes on its way: a document takes several times as much memory, and would
  // stay until a slow client has read it all.
  const auto made = [this, call, &work, &pool, &operation](std::string body) {
    answer_from(pool, [call, &work, &operation, body = std::move(body)] {
      auto answer = work(call, body);
      if (!answer) return refusal(answer.error());
      return text(200, content_type(operation.gives), std::move(*answer));
    });
  };
  if (operation.takes == api::Carries::kNothing) return made({});
  connection_.receive(
      std::make_unique<TextBody>(connection_, head.content_length.value_or(0), made));
}

void CallHandler::answer_from(net::WorkPool& pool, Work work) {
  pool.post([connection = connection_.self(), desk = desk_, work = std::move(work)] {
    // Whatever it is: somebody waits for an answer.
    const auto made = std::make_shared<Answer>([&] {
      try {
        return work();
      } catch (const std::exception& failure) {
        desk->log.error("management: a call failed", {{"why", failure.what()}});
        return refusal(
            {Kind::kIo, std::string("the server could not do it: ") + failure.what()});
      }
    }());
    connection->on_lane([made](Connection& asked) { asked.answer(std::move(*made)); });
  });
}

void CallHandler::take_image(const net::http::Head& head, const Call& call) {
  const auto asked = asked_in<api::ImageGiven>(call);
  if (!asked) return connection_.answer(refusal(asked.error()));
  auto options = intake_options(*asked);
  if (!options) return connection_.answer(refusal(options.error()));
  options->size = head.content_length;
  const bool compared = !options->claims.empty();
  desk_->disk.post([connection = connection_.self(), desk = desk_, compared,
                    options = std::move(*options)] {
    // std::function wants copies of what it holds.
    const auto intake = std::make_shared<base::Outcome<gate::ImageIntake>>(
        desk->service.gate.open_intake(options));
    connection->on_lane([desk, intake, compared](Connection& there) {
      if (!*intake) return there.answer(refusal(intake->error()));
      there.receive(
          std::make_unique<ImageBody>(there, desk, std::move(**intake), compared));
    });
  });
}

void CallHandler::begin_stream() {
  Answer stream;
  stream.set("Content-Type", "text/event-stream");
  stream.set("Cache-Control", "no-store");
  stream.endless = true;
  connection_.answer(std::move(stream));
  if (!connection_.is_open()) return;
  reads_ = desk_->events->add([connection = std::weak_ptr(connection_.self()),
                               post = connection_.poster()](EventFeed::Text text) {
    post([connection, text = std::move(text)] {
      if (const auto there = connection.lock()) there->stream(text);
    });
  });
}

void CallHandler::streaming(base::Instant now) { desk_->events->tick(now); }

void CallHandler::closed() {
  if (reads_) desk_->events->remove(*reads_);
  reads_.reset();
}

}  // namespace vantro::manage
