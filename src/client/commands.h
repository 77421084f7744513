// The commands about the server, its transfers and the devices' backups. Each writes its
// answer to standard output and gives back how it went; the caller writes the failure's
// sentence.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "client/answers.h"

namespace vantro::client {

Done show_status(const Context& context);

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
