// Calls of the management API over libcurl.
#pragma once

#include <cstdint>
#include <functional>
#include <nlohmann/json.hpp>
#include <string>
#include <tl/expected.hpp>

#include "base/bytes.h"
#include "client/exit_code.h"

namespace vantro::client {

template <class T>
using Result = tl::expected<T, Failure>;

struct Access {
  std::string url;    // "http://127.0.0.1:7070"
  std::string token;  // may be empty: the server then says what to do
};

// One call at a time.
class ApiClient {
 public:
  explicit ApiClient(Access access) : access_(std::move(access)) {}

  Result<nlohmann::json> get(const std::string& path) const;

  // POST, PATCH or DELETE, with a JSON body or none.
  Result<nlohmann::json> send(const char* method, const std::string& path,
                              const nlohmann::json& body = nullptr) const;

  // Bytes up to the given count; fewer only at the end of the file.
  using Source =
      std::function<tl::expected<std::size_t, Failure>(char* to, std::size_t count)>;
  Result<nlohmann::json> put(const std::string& path, std::uint64_t size,
                             const Source& source) const;

  // `sink` gets the bytes of a 200 as they come; false ends the call.
  using Sink = std::function<bool(base::ByteView)>;
  Result<void> download(const std::string& path, const Sink& sink) const;

  // `event` gets each server-sent event's name and data; false ends the call, which then
  // is a success. `idle` is called about twice a second.
  Result<void> events(
      const std::string& path,
      const std::function<bool(const std::string& name, const std::string& data)>& event,
      const std::function<bool()>& idle) const;

 private:
  class Request;

  Access access_;  // constant after construction
};

// For one segment of a path or a value of a query (RFC 3986, 2.1).
std::string url_escape(const std::string& text);

}  // namespace vantro::client
