// What "vantro" does, one function for each command. Each writes its answer to standard
// output and gives back how it went; the caller writes the failure's sentence.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "client/api_client.h"

namespace vantro::client {

struct Context {
  const ApiClient& api;
  bool json = false;  // the API's answer as it is, instead of a table
};

using Done = Result<void>;

Done show_status(const Context& context);

struct ImageAddOptions {
  std::string file;
  std::string name;    // empty: the file's own
  std::string expect;  // "ALGO:HEX" or hex; empty: none
  bool hold = false;
};
Done add_image(const Context& context, const ImageAddOptions& options);
Done list_images(const Context& context);
Done show_image(const Context& context, const std::string& name);

Done list_offers(const Context& context);

struct BackupOptions {
  std::string address;
  std::string name;
  std::optional<std::int64_t> revision;
  std::string to;  // save: a file, "-" for standard output; empty: the name's last part
  bool force = false;  // save: write over a file
};
Done list_backups(const Context& context, const std::string& address);
Done show_backup(const Context& context, const BackupOptions& options);
Done save_backup(const Context& context, const BackupOptions& options);

Done list_transfers(const Context& context);

// Of one address; empty: of all.
Done show_contacts(const Context& context, const std::string& address);
Done show_ledger(const Context& context, std::int64_t limit);

// Until interrupted, or after `seconds` if they are given.
Done watch(const Context& context, std::optional<double> seconds);

}  // namespace vantro::client
