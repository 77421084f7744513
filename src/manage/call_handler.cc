#include "manage/call_handler.h"

#include <fmt/format.h>

#include "api/operations.h"
#include "base/overloaded.h"
#include "base/request_id.h"
#include "base/visible_name.h"
#include "manage/answers.h"
#include "manage/bodies.h"
#include "manage/console.h"
#include "manage/image_routes.h"

namespace vantro::manage {
namespace {

using base::Kind;
using net::http::Answer;
using net::http::Connection;

// Whether the reader of the events still may.
constexpr std::chrono::seconds kLookedAtEvery{1};

// For callers who are not known yet.
constexpr std::size_t kLongestUnknown = 16 * 1024;

// After such a refusal the connection ends.
Answer shut(int status, const base::Refusal& why) {
  auto told = api::problem_of(why);
  told.status = status;
  auto answer = problem(told);
  if (status == 401) answer.set("WWW-Authenticate", "Bearer");
  answer.close = true;
  return answer;
}

// Bytes of a file on their way to the caller.
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
  guard(answer);
  answer.set("Content-Type", "application/octet-stream");
  if (!content->sha256.empty()) answer.set("X-Vantro-SHA-256", content->sha256);
  if (!content->file) {
    answer.length = content->text.size();
    answer.body.push_back({std::move(content->text), 0, 0});
    return answer;
  }
  const auto bytes = content->bytes.value_or(content->size);
  answer.length = bytes;
  if (bytes > 0) answer.body.push_back({"", content->from, bytes});
  answer.delivery = std::make_shared<Download>(std::move(*content));
  return answer;
}

const char* content_type(api::Carries what) {
  return what == api::Carries::kText ? "text/plain; charset=utf-8" : kJsonType;
}

}  // namespace

CallDesk::CallDesk(const net::Services& services, const Pools& the_pools, Service& what)
    : disk(services.disk),
      pools(the_pools),
      log(services.log),
      service(what),
      routes(make_routes(what)),
      events(std::make_shared<EventFeed>(what, services.disk)) {}

CallHandler::~CallHandler() = default;

Answer CallHandler::problem(int status, const std::string& why) {
  auto problem = api::problem_of({Kind::kInvalid, why});
  problem.status = status;
  return manage::problem(problem);
}

void CallHandler::stray(const std::string& why) {
  desk_->log.debug("management: the request is not a call of the API",
                   {{"peer", way_.from()}, {"why", why}});
}

void CallHandler::request(const net::http::Head& head) {
  auto& door = *desk_->service.door;
  if (const auto turned = door.turns_away(head, way_)) {
    return connection_.answer(shut(turned->status, {Kind::kDenied, turned->why}));
  }
  if (is_for_console(head)) {
    return connection_.answer(console_answer(head, console_files()));
  }
  auto matched = match(desk_->routes, head.method, head.target);
  if (matched && matched->route->operation->permission == api::Permission::kAnyone) {
    desk::Caller anyone;
    anyone.from = way_.from();
    return call(head, std::move(*matched), anyone);
  }
  // A collector of metrics has no name; a setting says where it may come from.
  if (matched &&
      std::string_view(matched->route->operation->path) == api::kMetrics.path &&
      !way_.on_local_socket && head.field("authorization").empty() &&
      desk_->service.metrics_open_to(way_.peer)) {
    desk::Caller collector;
    collector.from = way_.from();
    collector.powers.role = auth::Role::kLook;
    return call(head, std::move(*matched), collector);
  }
  // Before anything is revealed about what exists.
  if (!local_user_ || !head.field("authorization").empty()) {
    const auto caller = door.known(head, way_);
    if (!caller) {
      return connection_.answer(
          shut(caller.error().kind == Kind::kBusy ? 429 : 401, caller.error()));
    }
    if (!matched) return connection_.answer(refusal(matched.error()));
    return call(head, std::move(*matched), *caller);
  }
  // Finding out who it is may take time.
  desk_->disk.post([connection = connection_.self(), this, head, matched] {
    // std::function needs copyable contents.
    auto caller = desk_->service.door->local(*local_user_);
    // This lives as long as the connection.
    connection->on_lane([this, head, matched, caller](Connection& there) {
      if (!caller) return there.answer(shut(403, caller.error()));
      if (!matched) return there.answer(refusal(matched.error()));
      call(head, *matched, *caller);
    });
  });
}

void CallHandler::call(const net::http::Head& head, Matched matched,
                       const desk::Caller& caller) {
  auto& call = matched.call;
  call.caller = caller;
  call.caller.request = base::new_request_id();
  call.way = way_;
  const auto& route = *matched.route;
  const auto& operation = *route.operation;
  if (auto allowed = may(call.caller, operation.permission); !allowed) {
    // The object in the path, so that the record is found by its name.
    const auto named = call.values.find("name");
    desk_->service.repository.record_event(
        "call", call.caller.by(),
        fmt::format("{} {}: {}", operation.method, operation.path,
                    allowed.error().sentence),
        named == call.values.end() ? "" : base::printable(named->second, 200), "refused");
    return connection_.answer(refusal(allowed.error()));
  }
  if (operation.home == api::Home::kHeadquarters && desk_->service.mirror.of) {
    return connection_.answer(
        refusal({Kind::kDenied, fmt::format("this server is a mirror; change that at {}",
                                            desk_->service.mirror.of())}));
  }
  note(call.caller);
  desk_->log.debug("call", {{"method", operation.method},
                            {"path", operation.path},
                            {"by", call.caller.name},
                            {"from", call.caller.from},
                            {"request", call.caller.request}});
  std::visit(base::Overloaded{
                 [&](const TextWork& work) { answer_text(route, work, head, call); },
                 [&](const ContentWork& work) {
                   answer_from(desk_->disk,
                               [call, &work] { return content_answer(work(call)); });
                 },
                 [&](const AnswerWork& work) {
                   auto& pool = route.at_door ? desk_->pools.doors
                                : route.slow  ? desk_->pools.slow
                                              : desk_->disk;
                   with_body(route, head, [this, call, &work, &pool](std::string body) {
                     answer_from(pool, [call, &work, body = std::move(body)] {
                       auto answer = work(call, body);
                       return answer ? std::move(*answer) : refusal(answer.error());
                     });
                   });
                 },
                 [&](const ImageUpload&) { take_image(head, call); },
                 [&](const EventStream&) { begin_stream(call.caller); },
             },
             route.work);
}

void CallHandler::note(const desk::Caller& caller) {
  auto& repository = desk_->service.repository;
  const auto now = repository.clock.wall();
  if (caller.name.empty() ||
      !repository.people.is_news(caller.name, caller.token, caller.from, now)) {
    return;
  }
  desk_->disk.post([desk = desk_, caller, now] {
    auto& people = desk->service.repository.people;
    const bool kept =
        desk->service.repository.snapshot()->people->find(caller.name) != nullptr;
    people.came({caller.name, caller.powers, caller.token, caller.kind},
                caller.token == 0 ? "socket"
                : kept            ? ""
                                  : "PAM",
                caller.from, now);
  });
}

void CallHandler::with_body(const Route& route, const net::http::Head& head,
                            std::function<void(std::string)> then) {
  const auto& operation = *route.operation;
  if (operation.takes == api::Carries::kNothing) return then({});
  const bool unknown = operation.permission == api::Permission::kAnyone;
  connection_.receive(std::make_unique<TextBody>(
      connection_, head.content_length.value_or(0), std::move(then),
      unknown ? kLongestUnknown : kLongestBody));
}

void CallHandler::answer_text(const Route& route, const TextWork& work,
                              const net::http::Head& head, const Call& call) {
  auto& pool = route.slow ? desk_->pools.slow : desk_->disk;
  const auto& operation = *route.operation;
  // As text: a document takes several times as much memory, and would stay until a slow
  // client has read it all.
  with_body(route, head, [this, call, &work, &pool, &operation](std::string body) {
    answer_from(pool, [call, &work, &operation, body = std::move(body)] {
      auto answer = work(call, body);
      if (!answer) return refusal(answer.error());
      return text(200, content_type(operation.gives), std::move(*answer));
    });
  });
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
  options->by = call.caller.by();
  const bool compared = !options->claims.empty();
  desk_->disk.post([connection = connection_.self(), desk = desk_, compared,
                    options = std::move(*options)] {
    // std::function needs copyable contents.
    const auto intake = std::make_shared<base::Outcome<gate::ImageIntake>>(
        desk->service.gate.open_intake(options));
    connection->on_lane([desk, intake, compared](Connection& there) {
      if (!*intake) return there.answer(refusal(intake->error()));
      there.receive(
          std::make_unique<ImageBody>(there, desk, std::move(**intake), compared));
    });
  });
}

void CallHandler::begin_stream(const desk::Caller& caller) {
  token_ = caller.token;
  Answer stream;
  guard(stream);
  stream.set("Content-Type", "text/event-stream");
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

void CallHandler::streaming(base::Instant now) {
  desk_->events->tick(now);
  if (token_ == 0 || now - looked_at_ < kLookedAtEvery) return;
  looked_at_ = now;
  const auto& repository = desk_->service.repository;
  if (repository.snapshot()->people->still_good(token_, repository.clock.wall())) return;
  connection_.cut("the token is no longer valid");
}

void CallHandler::closed() {
  if (reads_) desk_->events->remove(*reads_);
  reads_.reset();
}

}  // namespace vantro::manage
