// vantro: the command-line client. Each command stands next to its code.
#include <cstdlib>
#include <string>
#include <string_view>

#include "client/accounts.h"
#include "client/api_client.h"
#include "client/backups.h"
#include "client/canary.h"
#include "client/care.h"
#include "client/command_line.h"
#include "client/devices.h"
#include "client/export.h"
#include "client/images.h"
#include "client/jobs.h"
#include "client/kits.h"
#include "client/ledger.h"
#include "client/log_in.h"
#include "client/offers.h"
#include "client/people.h"
#include "client/rescue.h"
#include "client/routes.h"
#include "client/server.h"
#include "client/servers.h"
#include "client/terminal.h"
#include "client/unrecorded.h"
#include "client/verify.h"

namespace {

using namespace vantro::client;

std::string environment(const char* name) {
  const char* value = std::getenv(name);
  return value == nullptr ? "" : value;
}

int report(const Done& done) {
  if (done) return static_cast<int>(ExitCode::kDone);
  // Without a sentence the answer has said it all.
  if (!done.error().sentence.empty()) {
    Terminal(stderr).write("vantro: " + done.error().sentence + "\n");
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
  Wanted wanted{environment("VANTRO_SERVER"), environment("VANTRO_URL"), "",
                environment("VANTRO_TOKEN")};
  bool json = false;
  const auto server = top.value("--server", wanted.server,
                                "Call this one of the servers that you logged in to (or "
                                "VANTRO_SERVER)");
  top.value("--url", wanted.url,
            "Call this address, or this local socket (or VANTRO_URL; default: this "
            "machine's vantrod)")
      .excludes(server);
  top.value("--token-file", wanted.token_file,
            "File with the token (or the token in VANTRO_TOKEN; default: as logged in)");
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
  route_commands(top);
  job_commands(top);
  rescue_commands(top);
  push_command(top);
  canary_command(top);
  unrecorded_commands(top);
  account_commands(top);
  people_commands(top);
  log_in_commands(top);
  server_commands(top);
  ledger_commands(top);
  care_commands(top);

  // For whoever makes packages: no command, as it is nobody's work with a server.
  if (argc == 3 && std::string_view(argv[1]) == "--write-manuals") {
    const auto written = line.write_manuals(argv[2], VANTRO_VERSION);
    if (written) return 0;
    return report(tl::unexpected(Failure{ExitCode::kFile, written.error().sentence}));
  }
  const auto parsed = line.parse(argc, argv);
  if (!parsed.wrong.empty()) {
    return report(tl::unexpected(Failure{ExitCode::kUsage, parsed.wrong}));
  }
  if (parsed.exit_code) return *parsed.exit_code;
  if (parsed.without_server) return report(parsed.run({ApiClient({}), json}));
  const auto access = access_to(wanted);
  if (!access) return report(tl::unexpected(access.error()));
  const ApiClient api(*access);
  return report(parsed.run({api, json}));
}
