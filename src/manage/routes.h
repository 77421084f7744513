// The management API as one table: what can be called, by whom, and what answers. The
// dispatch, the permission check and GET /v1/routes are made from it.
#pragma once

#include <functional>
#include <map>
#include <nlohmann/json.hpp>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "base/outcome.h"
#include "base/unique_fd.h"
#include "desk/caller.h"
#include "manage/service.h"

namespace vantro::manage {

// A call whose path has been matched: {name} and the like, and the query, both decoded.
struct Call {
  std::map<std::string, std::string> path;
  std::map<std::string, std::string> query;
  desk::Caller caller;
  // The caller's token is that which shows secrets, where they are asked for.
  bool may_see_secrets = false;
};

// Bytes that are sent as they are.
struct Content {
  base::UniqueFd file;
  std::uint64_t size = 0;
  std::string sha256;  // empty: not known
};

using JsonHandler = std::function<base::Outcome<nlohmann::json>(const Call&)>;
using ContentHandler = std::function<base::Outcome<Content>(const Call&)>;
using TextHandler = std::function<base::Outcome<std::string>(const Call&)>;
// With the body, of at most kLongestBody bytes.
using BodyHandler =
    std::function<base::Outcome<nlohmann::json>(const Call&, const std::string& body)>;
// The same for what may take a minute.
struct SlowBodyHandler {
  BodyHandler handler;
};
inline constexpr std::size_t kLongestBody = 32 << 20;
struct ImageUpload {};  // the body is an image; the server streams it into the gate
struct EventStream {};  // server-sent events of transfers, until the client goes

enum class Permission { kAnyone, kOperator };

struct Route {
  const char* method;
  const char* path;  // with {name} for one segment
  Permission permission;
  std::variant<JsonHandler, ContentHandler, TextHandler, BodyHandler, SlowBodyHandler,
               ImageUpload, EventStream>
      handler;
  const char* summary;
};

// Handlers run on the disk pool and may be called at the same time.
std::vector<Route> make_routes(Service& service);

struct Matched {
  const Route* route = nullptr;  // in the given table
  Call call;
};

// Refused: kNotFound if there is no such path, kInvalid if the path is there but not with
// this method, or the target can't be decoded.
base::Outcome<Matched> match(const std::vector<Route>& routes, std::string_view method,
                             std::string_view target);

}  // namespace vantro::manage
