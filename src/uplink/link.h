// A mirror's connection to headquarters: calls of its management API over libcurl.
#pragma once

#include <atomic>
#include <cstdint>
#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <tl/expected.hpp>

#include "api/json.h"
#include "api/operation.h"
#include "base/bytes.h"
#include "base/outcome.h"

namespace vantro::uplink {

struct Headquarters {
  std::string url;          // "https://192.0.2.10:7443"
  std::string token;        // of a person with the role mirror
  std::string fingerprint;  // SHA-256 of its certificate, "AB:CD:..."; empty: see ca_file
  std::string ca_file;      // trusted certificates; empty: the system's
};

struct Failure {
  base::Refusal refusal;
  bool link = false;  // headquarters was not reached, or not to the end
};
template <class T>
using Result = tl::expected<T, Failure>;

// Keeps its connection open between calls. For one thread at a time.
class Link {
 public:
  // `stopping`: ends a running call within a second; it must outlive this.
  Link(const Headquarters& headquarters, const std::atomic<bool>& stopping);
  ~Link();
  Link(const Link&) = delete;
  Link& operator=(const Link&) = delete;

  template <class Asked, class Body, class Answer>
  Result<Answer> call(const api::Operation<Asked, Body, Answer>& operation,
                      const Asked& asked = {}, const Body& body = {}) {
    std::string given;
    if constexpr (!std::is_same_v<Body, api::Nothing>) given = api::json_of(body);
    return read<Answer>(
        perform(operation.method, operation.target(asked), given, "application/json", 0));
  }
  // With bytes as the body.
  template <class Asked, class Answer>
  Result<Answer> send(const api::Operation<Asked, api::Bytes, Answer>& operation,
                      const Asked& asked, const std::string& bytes) {
    return read<Answer>(perform(operation.method, operation.target(asked), bytes,
                                "application/octet-stream", 0));
  }
  // The bytes of the answer, at most `rate` of them per second; 0: as fast as they come.
  template <class Asked>
  Result<std::string> bytes(
      const api::Operation<Asked, api::Nothing, api::Bytes>& operation,
      const Asked& asked, std::uint64_t rate) {
    return perform(operation.method, operation.target(asked), "", "", rate);
  }

 private:
  struct Curl;

  Result<std::string> perform(const char* method, const std::string& target,
                              const std::string& body, const char* type,
                              std::uint64_t rate);
  static Failure not_json();

  template <class Answer>
  static Result<Answer> read(Result<std::string> text) {
    if (!text) return tl::unexpected(text.error());
    auto value = api::read_answer<Answer>(*text);
    if (!value) return tl::unexpected(not_json());
    return std::move(*value);
  }

  const Headquarters& headquarters_;
  const std::atomic<bool>& stopping_;
  std::unique_ptr<Curl> curl_;
};

}  // namespace vantro::uplink
