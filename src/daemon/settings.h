// All settings, their defaults, and how a TOML file fills them. packaging/vantro.toml
// explains each to the people who write one.
#pragma once

#include <chrono>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "auth/rules.h"
#include "backup/retention.h"
#include "backup/treatment.h"
#include "base/address.h"
#include "base/log.h"
#include "base/outcome.h"
#include "serve/ssh/algorithms.h"
#include "text/recogniser.h"

namespace vantro::daemon {

using PortRange = std::pair<std::uint16_t, std::uint16_t>;  // first and last

// Where TFTP answers leave from: the port that was asked, or one of a range, or any.
struct ReplyPorts {
  bool listening_port = false;
  std::optional<PortRange> range;
};

struct Settings {
  std::string state = "/var/lib/vantro";
  std::vector<base::Endpoint> tftp_listen = {{base::Address::v4(0), 69},
                                             {base::Address(), 69}};
  std::int64_t tftp_threads = 2;  // 1 to 64
  ReplyPorts tftp_reply_ports;
  std::int64_t tftp_resend_after_ms = 1000;  // 50 to 60,000
  bool tftp_timeout_to_the_letter = false;
  std::int64_t tftp_most_unanswered = 4;                               // 0 to 20
  std::int64_t tftp_give_up_after_s = 45;                              // 1 to 3,600
  std::int64_t tftp_largest_block = 65464;                             // 8 to 65464
  std::int64_t tftp_largest_window = 64;                               // 1 to 65535
  std::int64_t limits_transfers = 4000;                                // 1 to 100,000
  std::int64_t limits_transfers_per_network = 1000;                    // 1 to 100,000
  std::int64_t limits_transfers_per_device = 32;                       // 1 to 100,000
  std::uint64_t limits_arriving_per_device = std::uint64_t{32} << 30;  // bytes
  // Empty: not served.
  std::vector<base::Endpoint> http_listen = {{base::Address::v4(0), 80},
                                             {base::Address(), 80}};
  std::vector<base::Endpoint> https_listen;
  // Empty: not served.
  std::vector<base::Endpoint> ftp_listen = {{base::Address::v4(0), 21},
                                            {base::Address(), 21}};
  std::int64_t ftp_threads = 2;                // 1 to 64
  std::int64_t ftp_log_in_s = 60;              // 1 to 3,600
  std::int64_t ftp_idle_s = 300;               // 1 to 3,600
  std::int64_t ftp_stalled_s = 60;             // 1 to 3,600
  std::int64_t ftp_data_connection_s = 20;     // 1 to 3,600
  std::optional<PortRange> ftp_passive_ports;  // nothing: any
  std::optional<base::Address> ftp_announce;   // IPv4
  // Where uploads under TLS may end without close_notify; nothing: nowhere.
  std::optional<auth::Networks> ftp_cut_ends_from;
  // PEM files as for HTTPS; empty: those of HTTPS, if there are any.
  std::string ftp_certificate;
  std::string ftp_key;
  // Empty: not served. Port 22 is usually the system's own SSH server's.
  std::vector<base::Endpoint> ssh_listen;
  std::int64_t ssh_connections = 128;            // 1 to 10,000; each has a thread
  std::int64_t ssh_connections_per_device = 32;  // 1 to 10,000
  std::int64_t ssh_log_in_s = 60;                // 1 to 3,600
  std::int64_t ssh_idle_s = 300;                 // 1 to 3,600
  std::int64_t ssh_stalled_s = 60;               // 1 to 3,600
  std::int64_t ssh_wrong_passwords = 6;          // 1 to 20, in one connection
  std::vector<serve::ssh::Older> ssh_older;
  std::string https_certificate;           // PEM file, with its chain
  std::string https_key;                   // PEM file; empty: in the certificate's
  std::int64_t http_threads = 2;           // 1 to 64
  std::int64_t http_head_s = 20;           // 1 to 3,600
  std::int64_t http_idle_s = 60;           // 1 to 3,600
  std::int64_t http_stalled_s = 60;        // 1 to 3,600
  std::int64_t limits_connections = 4000;  // 1 to 100,000
  std::int64_t limits_connections_per_device = 256;                  // 1 to 100,000
  std::uint64_t limits_deposited_per_day = std::uint64_t{64} << 30;  // bytes
  std::vector<auth::Rule> rules = auth::default_rules();
  base::Endpoint management_listen = {base::Address::v4(0x7f000001), 7070};
  std::uint64_t backups_largest = std::uint64_t{16} << 30;  // bytes
  std::int64_t backups_keep_partial_days = 7;               // 1 to 3,650
  backup::TreatmentConfig backups_treatment;
  std::uint64_t backups_per_device = 0;                    // bytes; 0: no limit
  std::uint64_t backups_reserve = std::uint64_t{1} << 30;  // bytes; 0: none
  backup::KeepRule backups_keep_configurations{90, 365, 0, 10};
  backup::KeepRule backups_keep_images{30, 0, 365, 2};
  backup::KeepRule backups_keep_others{30, 90, 365, 3};
  bool backups_thin_out_daily = false;
  std::string backups_key_file;  // empty: nothing is encrypted
  bool catalogue_only_vouched = false;
  std::int64_t catalogue_look_inside_s = 60;  // 1 to 3,600
  std::vector<text::Pattern> recognisers;
  std::string drop_folder;                              // empty: none
  std::int64_t drop_settle_s = 5;                       // 1 to 3,600
  std::int64_t verify_every_days = 30;                  // 0: not by itself; to 3,650
  std::uint64_t verify_rate = std::uint64_t{32} << 20;  // bytes per second
  std::int64_t verify_before_fetch_days = 45;           // 0: never; to 3,650
  std::int64_t stop_grace_s = 5;                        // 0 to 600
  base::Log::Form log_form = base::Log::Form::kText;
  base::Log::Level log_level = base::Log::Level::kInfo;
};

// Reads the file over the defaults. Refused with a sentence that begins "file:line: " for
// anything that is no setting, or no value for it.
base::Outcome<Settings> read_settings(const std::string& file);

// The same for a text; `file` is what its sentences call it.
base::Outcome<Settings> parse_settings(std::string_view text, const std::string& file);

// For the command line: one value as it stands in the file, without quotes. REQUIRES: key
// is a setting that is no list.
base::Outcome<void> set(Settings& settings, const std::string& key,
                        const std::string& value);
// The same for what a protocol listens on. `key` is "tftp.listen" and so on, whose usual
// port stands where none is given; "none" alone is the empty list, but not for TFTP.
base::Outcome<void> set_listen(Settings& settings, const std::string& key,
                               const std::vector<std::string>& texts);

}  // namespace vantro::daemon
