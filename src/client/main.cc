// vantro: the command-line client. Each command stands next to its code.
#include <cstdlib>
#include <fstream>
#include <iostream>
#include <string>

#include "client/accounts.h"
#include "client/api_client.h"
#include "client/backups.h"
#include "client/command_line.h"
#include "client/devices.h"
#include "client/export.h"
#include "client/images.h"
#include "client/kits.h"
#include "client/offers.h"
#include "client/server.h"
#include "client/unrecorded.h"
#include "client/verify.h"

namespace {

using namespace vantro::client;

constexpr const char* kUsualUrl = "http://127.0.0.1:7070";
constexpr const char* kUsualTokenFile = "/var/lib/vantro/token";

std::string environment(const char* name) {
  const char* value = std::getenv(name);
  return value == nullptr ? "" : value;
}

// The token that shows secrets, from beside the other one; empty if it can't be read.
std::string find_secrets_token(const std::string& file) {
  const std::string beside = file.empty() ? kUsualTokenFile : file;
  std::ifstream in(beside.substr(0, beside.rfind('/') + 1) + "secrets-token");
  std::string token;
  in >> token;
  return token;
}

// From the named file; else from VANTRO_TOKEN; else from where an installed vantrod puts
// it. An empty token is let through: the server's refusal says what to do.
Result<std::string> find_token(const std::string& file, bool with_secrets) {
  if (with_secrets) {
    if (auto token = environment("VANTRO_SECRETS_TOKEN"); !token.empty()) return token;
    if (auto token = find_secrets_token(file); !token.empty()) return token;
  }
  if (file.empty()) {
    if (auto token = environment("VANTRO_TOKEN"); !token.empty()) return token;
  }
  std::ifstream in(file.empty() ? kUsualTokenFile : file);
  std::string token;
  if (!(in >> token) && !file.empty()) {
    return tl::unexpected(
        Failure{ExitCode::kFile, file + ": no token can be read from it"});
  }
  return token;
}

int report(const Done& done) {
  if (done) return static_cast<int>(ExitCode::kDone);
  // Without a sentence the answer has said it all.
  if (!done.error().sentence.empty()) {
    std::cerr << "vantro: " << done.error().sentence << '\n';
  }
  return static_cast<int>(done.error().code);
}

}  // namespace

int main(int argc, char** argv) {
  const CommandLine line(
      "vantro", "vantro: keep and hand out the images of network devices",
      std::string("Examples:\n"
                  "  vantro image add FILE --expect sha256:HEX\n"
                  "  vantro watch\n"
                  "  vantro backup save 192.0.2.7 site.cfg --to site.cfg\n\n") +
          kExitCodeHelp,
      VANTRO_VERSION);
  const auto top = line.top();
  std::string url = environment("VANTRO_URL");
  if (url.empty()) url = kUsualUrl;
  std::string token_file;
  bool json = false;
  top.value("--url", url, "address of the management API (or VANTRO_URL)").show_default();
  top.value("--token-file", token_file,
            std::string("file with the token (or the token in VANTRO_TOKEN; else ") +
                kUsualTokenFile + ")");
  top.flag("--json", json, "the answer as JSON instead of a table");

  // In the order of the help.
  status_command(top);
  image_commands(top);
  offer_commands(top);
  kit_commands(top);
  verify_command(top);
  export_commands(top);
  backup_commands(top);
  device_commands(top);
  unrecorded_commands(top);
  account_commands(top);
  server_commands(top);

  const auto parsed = line.parse(argc, argv);
  if (!parsed.wrong.empty()) {
    return report(tl::unexpected(Failure{ExitCode::kUsage, parsed.wrong}));
  }
  if (parsed.exit_code) return *parsed.exit_code;
  while (url.ends_with('/')) url.pop_back();
  const auto token = find_token(token_file, parsed.shows_secrets);
  if (!token) return report(tl::unexpected(token.error()));
  const ApiClient api({url, *token});
  return report(parsed.run({api, json}));
}
