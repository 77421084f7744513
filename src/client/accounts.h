// The commands about accounts, and where an image can be fetched.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "client/answers.h"

namespace vantro::client {

// What is not given stays as it is.
struct AccountOptions {
  std::string name;
  bool new_password = false;         // change: ask for one
  std::optional<std::string> may;    // "fetch,deposit"; "none"
  std::optional<std::string> from;   // networks; "everywhere"
  std::optional<std::string> part;   // a folder of the tree; "all"
  std::optional<std::string> until;  // a time or a span; "ever"
  std::optional<std::string> remarks;
  bool on = false;
  bool off = false;
};
// The password is asked for at the terminal without echo, twice; where standard input is
// none, its first line is taken.
Done add_account(const Context& context, const AccountOptions& options);
Done change_account(const Context& context, const AccountOptions& options);
Done list_accounts(const Context& context);
Done remove_account(const Context& context, const std::string& name);

struct KeyOptions {
  std::string account;
  std::string file;  // with the public key; "-": standard input
  std::optional<std::string> remark;
  std::string key;  // remove: fingerprint or remark
};
Done add_key(const Context& context, const KeyOptions& options);
Done list_keys(const Context& context, const std::string& account);
Done remove_key(const Context& context, const KeyOptions& options);

struct LocationOptions {
  std::string image;
  std::string device;   // whose way to the server is looked up; may be empty
  std::string account;  // that stands in the text; may be empty
};
Done show_locations(const Context& context, const LocationOptions& options);

}  // namespace vantro::client
