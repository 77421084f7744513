// The management API over libcurl.
#pragma once

#include <cstdint>
#include <functional>
#include <string>
#include <tl/expected.hpp>

#include "api/json.h"
#include "api/operation.h"
#include "base/bytes.h"
#include "client/exit_code.h"

namespace vantro::client {

template <class T>
using Result = tl::expected<T, Failure>;

struct Access {
  std::string url;         // "http://127.0.0.1:7070"
  std::string token = {};  // may be empty: the server then says what to do
  std::string fingerprint =
      {};  // of its certificate, SHA-256; empty: trust as the system does
  std::string socket = {};       // the path of a local socket; empty: over the network
  std::string known_as = {};     // its name in servers.toml, or empty
  std::int64_t patience_ms = 0;  // for a whole call; 0: no limit

  // As people know it.
  const std::string& title() const { return socket.empty() ? url : socket; }
};

// An answer: its text, and its meaning.
template <class T>
struct Answered {
  T value;
  std::string text;  // JSON
};
template <class T>
Answered<T> answered(T value) {
  auto text = api::json_of(value);
  return {std::move(value), std::move(text)};
}

// Calls of the operations of the table (api/operations.h). One call at a time, and calls
// from the `idle` of another one.
class ApiClient {
 public:
  explicit ApiClient(Access access) : access_(std::move(access)) {}

  // While it waits: called about twice a second; false ends the call.
  using Idle = std::function<bool()>;
  template <class Asked, class Body, class Answer>
  Result<Answered<Answer>> call(const api::Operation<Asked, Body, Answer>& operation,
                                const Asked& asked = {}, const Body& body = {},
                                const Idle& idle = {}) const {
    std::string given;
    if constexpr (!std::is_same_v<Body, api::Nothing>) {
      if (!api::is_utf8(api::type_of<Body>(), &body)) return not_utf8();
      given = api::json_of(body);
    }
    return read<Answer>(send(operation, operation.target(asked), given, idle));
  }

  // Bytes up to the given count; fewer only at the end of the file.
  using Source =
      std::function<tl::expected<std::size_t, Failure>(char* to, std::size_t count)>;
  template <class Asked, class Answer>
  Result<Answered<Answer>> put(const api::Operation<Asked, api::Bytes, Answer>& operation,
                               const Asked& asked, std::uint64_t size,
                               const Source& source) const {
    return read<Answer>(put(operation.target(asked), size, source));
  }

  // The SHA-256 of the server's certificate, "AB:CD:...". Only connects, and sends no
  // token.
  Result<std::string> certificate() const;

  // `sink` gets the bytes of a 200 as they come; false ends the call. `target`: of an
  // operation that answers with bytes or text.
  using Sink = std::function<bool(base::ByteView)>;
  Result<void> download(const std::string& target, const Sink& sink) const;

  // `event` gets each server-sent event's name and data; false of it or of `idle` ends
  // the call, which then is a success.
  Result<void> events(
      const std::function<bool(const std::string& name, const std::string& data)>& event,
      const Idle& idle) const;

 private:
  class Request;

  Result<std::string> send(const api::OperationInfo& operation, const std::string& target,
                           const std::string& body, const Idle& idle) const;
  Result<std::string> put(const std::string& target, std::uint64_t size,
                          const Source& source) const;
  static tl::unexpected<Failure> not_utf8();
  static tl::unexpected<Failure> not_json();

  template <class Answer>
  static Result<Answered<Answer>> read(Result<std::string> text) {
    if (!text) return tl::unexpected(text.error());
    auto value = api::read_answer<Answer>(*text);
    if (!value) return not_json();
    return Answered<Answer>{std::move(*value), std::move(*text)};
  }

  Access access_;  // constant after construction
};

}  // namespace vantro::client
