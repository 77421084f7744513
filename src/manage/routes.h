// The functions behind the operations of the table (api/operations.h).
#pragma once

#include <functional>
#include <string>
#include <string_view>
#include <type_traits>
#include <variant>
#include <vector>

#include "api/json.h"
#include "api/operation.h"
#include "api/target.h"
#include "base/outcome.h"
#include "base/unique_fd.h"
#include "desk/caller.h"
#include "manage/door.h"
#include "manage/service.h"
#include "net/http/answer.h"

namespace vantro::manage {

// A call whose path has been matched.
struct Call {
  api::Values values;  // of path and query, decoded
  desk::Caller caller;
  Way way;
};

// Bytes that are sent unchanged.
struct Content {
  base::UniqueFd file;     // none: it is the text
  std::uint64_t size = 0;  // of the file
  std::string sha256;      // empty: unknown
  // A part of it; without `bytes` all of it.
  std::uint64_t from = 0;
  std::optional<std::uint64_t> bytes = {};
  std::string text = {};
};

// Of a body that is held in memory, in bytes.
inline constexpr std::size_t kLongestBody = 32 << 20;

// On a pool, several at the same time. `body` is empty if the operation takes none.
using TextWork =
    std::function<base::Outcome<std::string>(const Call&, const std::string& body)>;
using ContentWork = std::function<base::Outcome<Content>(const Call&)>;
// Operations that answer more than a text.
using AnswerWork =
    std::function<base::Outcome<net::http::Answer>(const Call&, const std::string& body)>;
struct ImageUpload {};  // the body is an image; it is streamed into the gate
struct EventStream {};  // server-sent events, until the caller closes the connection

struct Route {
  const api::OperationInfo* operation = nullptr;
  std::variant<TextWork, ContentWork, AnswerWork, ImageUpload, EventStream> work;
  bool slow = false;     // it may take a minute
  bool at_door = false;  // for checking passwords
};

// The nearest of the names, for refusals.
std::optional<std::string> nearest(std::string_view typed,
                                   const std::vector<std::string>& names);

// The parameters in path and query, in the operation's form.
template <class Asked>
base::Outcome<Asked> asked_in(const Call& call) {
  Asked asked;
  auto read = api::read_asked(call.values, api::shape_of<Asked>(), &asked, nearest);
  if (!read) return base::refuse(read.error());
  return asked;
}

class Routes {
 public:
  // It must outlive them.
  explicit Routes(Service& service) : service_(service) {}

  // `work(service, call, asked)`, or `work(service, call, asked, body)` if the operation
  // takes one, returns an Outcome of the answer.
  template <class Asked, class Body, class Answer, class Work>
  void add(const api::Operation<Asked, Body, Answer>& operation, Work work) {
    constexpr bool is_content = std::is_same_v<Answer, api::Bytes>;
    const auto run = [&service = service_, work](const Call& call,
                                                 const std::string& body) {
      using Result = decltype(answered<Body>(service, work, call, Asked{}, body));
      auto asked = asked_in<Asked>(call);
      if (!asked) return Result(base::refuse(asked.error()));
      return answered<Body>(service, work, call, *asked, body);
    };
    if constexpr (is_content) {
      all_.push_back({&operation, ContentWork([run](const Call& call) {
                        return run(call, std::string());
                      })});
    } else {
      all_.push_back(
          {&operation,
           TextWork([run](const Call& call,
                          const std::string& body) -> base::Outcome<std::string> {
             auto answer = run(call, body);
             if (!answer) return base::refuse(answer.error());
             if constexpr (std::is_same_v<Answer, api::Text> ||
                           std::is_same_v<Answer, api::Json>) {
               return std::move(*answer);
             } else {
               return api::json_of<Answer>(*answer);
             }
           })});
    }
  }
  template <class Asked, class Body, class Answer, class Work>
  void add_slow(const api::Operation<Asked, Body, Answer>& operation, Work work) {
    add(operation, std::move(work));
    all_.back().slow = true;
  }
  // `work(service, call, body)` or, if the operation takes none, `work(service, call)`
  // returns an Outcome of an Answer.
  template <class Asked, class Body, class Result, class Work>
  void add_answer(const api::Operation<Asked, Body, Result>& operation, Work work) {
    all_.push_back(
        {&operation,
         AnswerWork([&service = service_, work](const Call& call, const std::string& body)
                        -> base::Outcome<net::http::Answer> {
           if constexpr (std::is_same_v<Body, api::Nothing>) {
             return work(service, call);
           } else {
             Body given;
             auto read = api::read_body(body, api::shape_of<Body>(), &given, nearest);
             if (!read) return base::refuse(read.error());
             return work(service, call, given);
           }
         })});
  }
  template <class Asked, class Body, class Result, class Work>
  void add_at_door(const api::Operation<Asked, Body, Result>& operation, Work work) {
    add_answer(operation, std::move(work));
    all_.back().at_door = true;
  }
  template <class Asked, class Body, class Result, class Work>
  void add_slow_answer(const api::Operation<Asked, Body, Result>& operation, Work work) {
    add_answer(operation, std::move(work));
    all_.back().slow = true;
  }
  void add_upload(const api::OperationInfo& operation) {
    all_.push_back({&operation, ImageUpload{}});
  }
  void add_stream(const api::OperationInfo& operation) {
    all_.push_back({&operation, EventStream{}});
  }

  std::vector<Route> take() { return std::move(all_); }

 private:
  template <class Body, class Work, class Asked>
  static auto answered(Service& service, const Work& work, const Call& call,
                       const Asked& asked, const std::string& body) {
    if constexpr (std::is_same_v<Body, api::Nothing>) {
      return work(service, call, asked);
    } else if constexpr (std::is_same_v<Body, api::Bytes>) {
      return work(service, call, asked, body);
    } else {
      using Result = decltype(work(service, call, asked, Body{}));
      Body given;
      auto read = api::read_body(body, api::shape_of<Body>(), &given, nearest);
      if (!read) return Result(base::refuse(read.error()));
      return work(service, call, asked, given);
    }
  }

  Service& service_;
  std::vector<Route> all_;
};

// One for each operation, in the order of the table.
std::vector<Route> make_routes(Service& service);

struct Matched {
  const Route* route = nullptr;  // in the given table
  Call call;
};

// Refused: kNotFound if there is no such path, kInvalid if the path exists but not with
// this method, or the target cannot be decoded.
base::Outcome<Matched> match(const std::vector<Route>& routes, std::string_view method,
                             std::string_view target);

}  // namespace vantro::manage
