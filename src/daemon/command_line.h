// The command line of vantrod, over the settings of a file.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "crypto/sealed_stream.h"
#include "crypto/tls.h"
#include "daemon/rescue_only.h"
#include "daemon/settings.h"

namespace vantro::daemon {

// kIncomplete: it ran to its end, but people could not reach all of it.
enum ExitCode { kDone = 0, kFailed = 1, kUsage = 2, kIncomplete = 3 };

// Prints it on standard error; returns the code.
int fail(const std::string& sentence, int code);

struct Options {
  Settings settings;
  std::shared_ptr<crypto::TlsServer> tls;      // null: no HTTPS
  std::shared_ptr<crypto::TlsServer> ftp_tls;  // null: no AUTH TLS
  bool recover_database = false;
  bool accept_older_database = false;
  std::string move_database;  // where to: an address, or "file"; empty: nowhere
  std::string restore;        // a snapshot to restore into the state folder; empty: none
  RescueOptions rescue;
  crypto::SealKeys keys;  // of backups.key_file
  bool check = false;
  // The source of the settings, to read them again.
  std::string config;  // the file; empty: none
  std::vector<std::pair<std::string, std::vector<std::string>>> flags;  // by setting
};

// The settings of file and flags as they are now.
base::Outcome<Settings> settings_of(const Options& options);

// Reads the settings, and the certificates and keys that they name. Returns the exit code
// if the program ends here: it only had to print its version, say, or something is wrong
// and was printed.
std::optional<int> read_options(int argc, char** argv, const char* version,
                                Options& options);

}  // namespace vantro::daemon
