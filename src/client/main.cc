// vantro: the command-line client. Each command is next to its code.
#include <chrono>
#include <cstdlib>
#include <string>
#include <string_view>
#include <thread>
#include <vector>

#include "api/json.h"
#include "client/api_client.h"
#include "client/command_line.h"
#include "client/commands.h"
#include "client/completion.h"
#include "client/error.h"
#include "client/interrupt.h"
#include "client/old_spellings.h"
#include "client/overview.h"
#include "client/servers.h"
#include "client/terminal.h"

namespace {

using namespace vantro::client;

std::string environment(const char* name) {
  const char* value = std::getenv(name);
  return value == nullptr ? "" : value;
}

int report(const Done& done, bool json) {
  if (done) return static_cast<int>(ExitCode::kDone);
  // Without a sentence the answer has said everything.
  if (!done.error().sentence.empty()) {
    const Terminal terminal(stderr);
    if (json) {
      terminal.write_json(error_json(done.error()));
    } else {
      terminal.write("vantro: " + done.error().sentence + "\n");
    }
  }
  return static_cast<int>(done.error().code);
}

// Once, or repeated (--watch).
Done run(const Command::Run& command, const Context& context) {
  const auto& every = context.view.every;
  if (!every) return command(context);
  notice_interrupts();
  const Terminal terminal(stdout);
  while (true) {
    if (terminal.can_redraw()) terminal.control("\x1b[H\x1b[2J");
    if (auto done = command(context); !done) return done;
    const auto next =
        std::chrono::steady_clock::now() + std::chrono::duration<double>(*every);
    while (std::chrono::steady_clock::now() < next) {
      if (interrupted()) return {};
      std::this_thread::sleep_for(std::chrono::milliseconds(100));
    }
  }
}

}  // namespace

int main(int argc, char** argv) {
  const CommandLine line("vantro", "Keep and hand out the images of network devices",
                         VANTRO_VERSION);
  const auto top = line.top();
  Wanted wanted{environment("VANTRO_SERVER"), environment("VANTRO_URL"), "",
                environment("VANTRO_TOKEN")};
  const auto server =
      top.value("--server", wanted.server, "Call this server that you logged in to");
  top.value("--url", wanted.url,
            "Call this address or local socket (default: the vantrod on this machine)")
      .excludes(server);
  top.value("--token-file", wanted.token_file,
            "Read the token from this file (default: as you logged in)");
  add_commands(top);

  // For builders of packages: not a command, as it has nothing to do with a server.
  if (argc == 3 && std::string_view(argv[1]) == "--write-manuals") {
    const auto written = line.write_manuals(argv[2], VANTRO_VERSION);
    if (written) return 0;
    return report(tl::unexpected(Failure{ExitCode::kFile, written.error().sentence}),
                  false);
  }
  // For the shell's completion, with what is typed so far.
  if (argc >= 2 && std::string_view(argv[1]) == "--complete") {
    const auto access = access_to(wanted);
    if (!access) return 0;
    for (const auto& name : names_for(line, *access, {argv + 2, argv + argc})) {
      Terminal(stdout).write(name + "\n");
    }
    return 0;
  }
  const auto words = in_todays_words({argv + 1, argv + argc});
  for (const auto& note : words.notes) Terminal(stderr).write("vantro: " + note + "\n");
  const auto parsed = line.parse(words.words);
  const auto& view = line.view();
  const bool json = view.json || view.json_lines;
  if (!parsed.wrong.empty()) {
    return report(tl::unexpected(Failure{ExitCode::kUsage, parsed.wrong}), json);
  }
  if (parsed.exit_code) return *parsed.exit_code;
  if (parsed.without_server) {
    return report(run(parsed.run, {ApiClient({}), view, view.json}), json);
  }
  const auto access = access_to(wanted);
  if (!access) return report(tl::unexpected(access.error()), json);
  const ApiClient api(*access);
  const auto command = parsed.run ? parsed.run : Command::Run(show_overview);
  return report(run(command, {api, view, view.json}), json);
}
