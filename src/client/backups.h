// The commands about what devices sent.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>

#include "client/answers.h"

namespace vantro::client {

// One revision of one file.
struct BackupOptions {
  std::string holder;  // a device, or an address
  std::string name;
  std::optional<std::int64_t> revision;  // the newest complete one
  std::string to;  // save: a file, "-" for standard output; empty: the name's last part
  bool force = false;         // save: write over a file
  bool with_secrets = false;  // save
  bool masked = false;        // save: with the secrets masked
  std::string why;            // pin
};

// A line for each file; of one holder all its revisions instead.
Done list_backups(const Context& context, std::int64_t days);
Done list_revisions(const Context& context, const std::string& holder,
                    const std::string& name);
Done show_backup(const Context& context, const BackupOptions& options);
Done save_backup(const Context& context, const BackupOptions& options);
Done pin_backup(const Context& context, const BackupOptions& options, bool pinned);
// Fails with kOverdue if any are.
Done show_overdue(const Context& context);

struct CompareOptions {
  std::string holder;
  std::string name;                           // empty: its only configuration
  std::optional<std::int64_t> before, after;  // empty: the newest and the one before
  std::string other;                          // another holder
  std::string other_name;
  std::string file;  // on this side
  std::int64_t context = 3;
  bool with_secrets = false;
};
Done compare_backups(const Context& context, const CompareOptions& options);

struct ReportOptions {
  std::string from = "24h";  // a time, or a span back from now
  std::string to;            // empty: now
  std::string html;          // a file to write the report to as a page
  bool force = false;
  std::int64_t context = 3;
  bool with_secrets = false;
};
Done report_changes(const Context& context, const ReportOptions& options);

struct BackupOfferOptions {
  BackupOptions backup;
  std::string as;
  std::string to;
  std::string until;
};
Done offer_backup(const Context& context, const BackupOfferOptions& options);
Done list_backup_offers(const Context& context);
Done end_backup_offer(const Context& context, const std::string& name);

struct AdoptOptions {
  BackupOptions backup;
  std::string as;
  std::map<std::string, std::string> facts;
  bool hold = false;
  bool despite_findings = false;
};
Done adopt_backup(const Context& context, const AdoptOptions& options);

Done thin_out(const Context& context, bool really, bool all);

}  // namespace vantro::client
