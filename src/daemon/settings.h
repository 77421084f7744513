// All settings, their defaults, and how a TOML file fills them. packaging/vantro.toml
// explains each to the people who write one.
#pragma once

#include <chrono>
#include <cstdint>
#include <string>
#include <vector>

#include "base/address.h"
#include "base/log.h"
#include "base/outcome.h"

namespace vantro::daemon {

struct Settings {
  std::string state = "/var/lib/vantro";
  std::vector<base::Endpoint> tftp_listen = {{base::Address::v4(0), 69}};
  std::int64_t tftp_most_transfers = 2000;   // 1 to 100,000
  std::int64_t tftp_resend_after_ms = 1000;  // 50 to 60,000
  std::int64_t tftp_most_resends = 6;        // 1 to 100
  std::int64_t tftp_give_up_after_s = 45;    // 1 to 3,600
  base::Endpoint management_listen = {base::Address::v4(0x7f000001), 7070};
  std::uint64_t backups_largest = std::uint64_t{16} << 30;  // bytes
  std::int64_t backups_keep_partial_days = 7;               // 1 to 3,650
  std::int64_t stop_grace_s = 5;                            // 0 to 600
  base::Log::Form log_form = base::Log::Form::kText;
  base::Log::Level log_level = base::Log::Level::kInfo;
};

// Reads the file over the defaults. Refused with a sentence that begins "file:line: " for
// anything that is no setting, or no value for it.
base::Outcome<Settings> read_settings(const std::string& file);

// For the command line: one value as it stands in the file, without quotes. REQUIRES: key
// is a setting that is no list.
base::Outcome<void> set(Settings& settings, const std::string& key,
                        const std::string& value);
base::Outcome<std::vector<base::Endpoint>> parse_tftp_listen(
    const std::vector<std::string>& texts);

}  // namespace vantro::daemon
