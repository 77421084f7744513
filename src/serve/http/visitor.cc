#include "serve/http/visitor.h"

#include <fmt/format.h>

#include "base/visible_name.h"
#include "net/http/origin.h"
#include "serve/http/answer.h"
#include "serve/http/upload.h"
#include "serve/when_verified.h"

namespace vantro::serve::http {
namespace {

using base::Kind;
using net::http::Answer;
using net::http::Connection;

constexpr std::size_t kLongestTarget = 8 * 1024;
constexpr const char* kAllowed = "GET, HEAD, PUT, POST, OPTIONS";

bool is_known_method(const std::string& method) {
  for (const auto* one : {"DELETE", "PATCH", "TRACE", "CONNECT", "PROPFIND", "MKCOL",
                          "MOVE", "COPY", "LOCK", "UNLOCK", "PROPPATCH"}) {
    if (method == one) return true;
  }
  return false;
}

}  // namespace

Answer Visitor::problem(int status, const std::string& why) {
  return plain_answer(status, why, form_);
}

void Visitor::stray(const std::string& why) {
  shared_->gate.contacts().stray(asker_.peer.address, asker_.heard_on, why);
}

void Visitor::answer_and_close(Answer answer) {
  answer.close = true;
  connection_.answer(std::move(answer));
}

void Visitor::request(const net::http::Head& head) {
  shared_->gate.contacts().request(asker_.peer.address, asker_.heard_on);
  head_ = head;
  form_ = wire::http::wanted_form(head.field("accept"));
  who_ = asker_;
  if (head.target.size() > kLongestTarget) {
    answer_and_close(problem(414, "the address is too long"));
    return;
  }
  if (head.method == "OPTIONS" && head.target == "*") {
    target_ = {"/", "", true};
  } else {
    auto target = wire::http::parse_target(head.target);
    if (!target) {
      connection_.answer(refusal_answer(target.error(), form_));
      return;
    }
    target_ = std::move(*target);
  }
  const auto authorization = head.field("authorization");
  if (authorization.empty()) {
    dispatch();
    return;
  }
  auto credentials = wire::http::parse_basic(authorization);
  if (!credentials) {
    answer_and_close(refusal_answer(
        {Kind::kAccountNeeded, "only the Basic scheme is supported (RFC 7617)"}, form_));
    return;
  }
  if (auto account = shared_->gate.log_ins().remembered(who_, credentials->name,
                                                        credentials->password)) {
    who_.account = std::move(*account);
    dispatch();
    return;
  }
  log_in(*credentials);
}

void Visitor::log_in(const wire::http::Credentials& credentials) {
  const bool looked_at = shared_->log_in(
      who_, credentials.name, credentials.password,
      [this, connection = connection_.self()](auto account) {
        connection->on_lane([this, account = std::move(account)](Connection& asked) {
          if (!asked.is_open()) return;
          if (!account) return answer_and_close(refusal_answer(account.error(), form_));
          who_.account = *account;
          dispatch();
        });
      });
  if (looked_at) return;
  answer_and_close(refusal_answer({Kind::kBusy, Shared::kTooManyLogIns}, form_));
}

void Visitor::dispatch() {
  const auto& method = head_.method;
  if (method == "GET" || method == "HEAD") {
    fetch();
  } else if (method == "PUT" || method == "POST") {
    begin_upload();
  } else if (method == "OPTIONS") {
    Answer options;
    options.status = 204;
    options.without_body = true;
    options.set("Allow", kAllowed);
    connection_.answer(std::move(options));
  } else {
    auto refused = problem(is_known_method(method) ? 405 : 501,
                           fmt::format("{} is not supported; use {}",
                                       base::printable(method, 30), kAllowed));
    refused.set("Allow", kAllowed);
    connection_.answer(std::move(refused));
  }
}

void Visitor::fetch() {
  const auto ask = [connection = connection_.self(), &gate = shared_->gate, who = who_,
                    head = head_, path = target_.path] {
    auto made = std::make_shared<Answer>(fetch_answer(gate, who, head, path));
    connection->on_lane([made](Connection& asked) { asked.answer(std::move(*made)); });
  };
  const auto on_disk = [&disk = shared_->disk](Work work) { disk.post(std::move(work)); };
  if (head_.method == "HEAD") return on_disk(ask);
  when_verified(shared_->gate, who_, target_.path.substr(1), on_disk, ask);
}

void Visitor::begin_upload() {
  const auto& head = head_;
  // A web page in a browser must not send files in its user's name. Devices and
  // command-line clients do not say where a request comes from.
  if (const auto other = net::http::from_other_site(head, ""); !other.empty()) {
    const base::Refusal refusal{Kind::kDenied, "cross-site upload refused: " + other};
    shared_->gate.record_refusal(who_, word(gate::Direction::kDeposit),
                                 target_.path.substr(1), refusal);
    return answer_and_close(refusal_answer(refusal, form_));
  }
  const auto refuse = [&](int status, const std::string& why) {
    answer_and_close(problem(status, why));
  };
  if (target_.is_folder) {
    return refuse(400, "name the file behind the last slash, as in PUT /site.cfg");
  }
  if (!head.chunked && !head.content_length) {
    return refuse(411, "give its length (Content-Length), or send it chunked");
  }
  const auto coding = base::folded(head.field("content-encoding"));
  if (!coding.empty() && coding != "identity") {
    return refuse(415, "send the file as it is, without Content-Encoding");
  }
  if (base::folded(head.field("content-type")).starts_with("multipart/")) {
    return refuse(415,
                  "send the file itself as the body, not in a form; with curl, use -T "
                  "FILE instead of -F");
  }
  if (head.count("content-range") > 0) {
    return refuse(400, "a part of a file is not accepted; send the whole file");
  }
  const auto expect = base::folded(head.field("expect"));
  if (!expect.empty() && expect != "100-continue") {
    return refuse(417, "of Expect, only 100-continue is supported");
  }
  auto digests = announced_digests(head);
  if (!digests) {
    return answer_and_close(refusal_answer(digests.error(), form_));
  }
  gate::Announced announced{head.content_length, std::move(*digests)};
  shared_->disk.post([connection = connection_.self(), shared = shared_, who = who_,
                      path = target_.path.substr(1), form = form_,
                      announced = std::move(announced)] {
    auto place = shared->gate.admit(who, gate::Direction::kDeposit, path);
    // std::function needs copyable contents.
    auto grant = std::make_shared<base::Outcome<gate::WriteGrant>>(
        place ? shared->gate.open_write(who, std::move(*place), path, announced)
              : base::refuse(place.error()));
    connection->on_lane([grant, shared, form](Connection& asked) {
      if (!*grant) {
        auto refused = refusal_answer(grant->error(), form);
        refused.close = true;
        return asked.answer(std::move(refused));
      }
      asked.receive(std::make_unique<Upload>(asked, shared, std::move(**grant), form));
    });
  });
}

}  // namespace vantro::serve::http
