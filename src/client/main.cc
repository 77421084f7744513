// vantro: the command-line client. Options and dispatch; what the commands do stands in
// commands.cc, images.cc, offers.cc and export.cc.
#include <CLI/CLI.hpp>
#include <cstdlib>
#include <fstream>
#include <functional>
#include <iostream>
#include <optional>

#include "client/accounts.h"
#include "client/api_client.h"
#include "client/backup_options.h"
#include "client/catalogue_options.h"
#include "client/commands.h"
#include "client/unrecorded.h"

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
  CLI::App app{"vantro: keep and hand out the images of network devices", "vantro"};
  app.footer(std::string("Examples:\n"
                         "  vantro image add FILE --expect sha256:HEX\n"
                         "  vantro watch\n"
                         "  vantro backup save 192.0.2.7 site.cfg --to site.cfg\n\n") +
             kExitCodeHelp);
  app.require_subcommand(1);
  app.set_version_flag("--version", VANTRO_VERSION);
  std::string url = environment("VANTRO_URL");
  if (url.empty()) url = kUsualUrl;
  std::string token_file;
  bool json = false;
  app.add_option("--url", url, "address of the management API (or VANTRO_URL)")
      ->capture_default_str();
  app.add_option("--token-file", token_file,
                 std::string("file with the token (or the token in VANTRO_TOKEN; else ") +
                     kUsualTokenFile + ")");
  app.add_flag("--json", json, "the answer as JSON instead of a table");

  Commands commands(app);
  const auto group = [&](CLI::App& parent, const char* name, const char* about) {
    return commands.group(parent, name, about);
  };
  const auto command = [&](CLI::App& parent, const char* name, const char* about,
                           Commands::Run run) {
    return commands.add(parent, name, about, std::move(run));
  };

  command(app, "status", "what the server listens on, holds, and what is wrong",
          show_status);
  add_catalogue_commands(commands);

  bool with_secrets = false;
  backup_commands(commands, with_secrets);
  device_commands(commands);
  unrecorded_commands(commands);

  auto* account =
      group(app, "account", "who may fetch, send and hand in, with a password");
  AccountOptions account_options;
  const auto for_account = [&](CLI::App* sub) {
    sub->add_option("NAME", account_options.name, "its name")->required();
    sub->add_option("--may", account_options.may,
                    "fetch, deposit, read-back and hand-in, parted by commas, or none "
                    "(a new one: fetch,deposit)");
    sub->add_option("--from", account_options.from,
                    "networks, parted by commas: 192.0.2.0/24, private, loopback; or "
                    "everywhere that is open");
    sub->add_option("--part", account_options.part,
                    "the folder of the tree that it is kept to, or all");
    sub->add_option("--until", account_options.until,
                    "a time, or a span such as 8h or 30d, or ever");
    sub->add_option("--remarks", account_options.remarks, "whose it is, and what for");
    return sub;
  };
  for_account(command(
      *account, "add",
      "a new account; the password is asked for, or read from standard "
      "input",
      [&](const Context& context) { return add_account(context, account_options); }));
  command(*account, "list", "all of them; 'anonymous' is everybody without one",
          list_accounts);
  auto* change = for_account(command(
      *account, "change", "what it may, or its password",
      [&](const Context& context) { return change_account(context, account_options); }));
  change->add_flag("--password", account_options.new_password,
                   "ask for a new one, or read it from standard input");
  auto* off = change->add_flag("--off", account_options.off, "switch it off for now");
  change->add_flag("--on", account_options.on, "and on again")->excludes(off);
  command(*account, "remove", "for good; 'change --off' can be taken back",
          [&](const Context& context) {
            return remove_account(context, account_options.name);
          })
      ->add_option("NAME", account_options.name, "its name")
      ->required();
  auto* key =
      group(*account, "key", "the public keys that an account logs in with over SSH");
  KeyOptions key_options;
  auto* add_one =
      command(*key, "add", "one more key; the password stays good as well",
              [&](const Context& context) { return add_key(context, key_options); });
  add_one->add_option("ACCOUNT", key_options.account, "whose")->required();
  add_one
      ->add_option("FILE", key_options.file,
                   "the public key (usually *.pub), or - for standard input")
      ->required();
  add_one->add_option("--remark", key_options.remark,
                      "whose it is (default: what stands behind the key)");
  command(*key, "list", "its keys",
          [&](const Context& context) { return list_keys(context, key_options.account); })
      ->add_option("ACCOUNT", key_options.account, "whose")
      ->required();
  auto* remove_one =
      command(*key, "remove", "a key is no longer good, from the next log-in on",
              [&](const Context& context) { return remove_key(context, key_options); });
  remove_one->add_option("ACCOUNT", key_options.account, "whose")->required();
  remove_one->add_option("KEY", key_options.key, "its fingerprint or its remark")
      ->required();
  LocationOptions location_options;
  auto* location = command(
      app, "location", "the complete text to paste into a device, for each protocol",
      [&](const Context& context) { return show_locations(context, location_options); });
  location->add_option("IMAGE", location_options.image, "an image, or a name on offer")
      ->required();
  location->add_option("--for", location_options.device,
                       "the device's address: it gets the server's address that it would "
                       "use, and what is closed to it is said");
  location->add_option("--account", location_options.account,
                       "the account that it logs in with (the password is never shown)");

  auto* transfer = group(app, "transfer", "what is being fetched and sent");
  command(*transfer, "list", "running transfers, and those that ended just now",
          list_transfers);
  std::string contact_address;
  command(app, "contact",
          "who was heard, and what became of it: is it that nothing arrives?",
          [&](const Context& context) { return show_contacts(context, contact_address); })
      ->add_option("ADDRESS", contact_address, "the story of one address, in order");
  std::optional<double> watch_seconds;
  command(app, "watch", "follow transfers live",
          [&](const Context& context) { return watch(context, watch_seconds); })
      ->add_option("--seconds", watch_seconds, "end after this time")
      ->check(CLI::PositiveNumber);
  std::int64_t ledger_rows = 50;
  std::string ledger_whose;
  auto* ledger = command(app, "ledger", "what was transferred and changed, newest last",
                         [&](const Context& context) {
                           return show_ledger(context, ledger_rows, ledger_whose);
                         });
  ledger->add_option("--limit", ledger_rows, "so many of the newest rows")
      ->capture_default_str()
      ->check(CLI::Range(std::int64_t{1}, std::int64_t{10'000}));
  ledger->add_option("--of", ledger_whose,
                     "of one device only, by its name or an address");

  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    if (error.get_exit_code() == 0) return app.exit(error);  // --help, --version
    const auto unknown = app.remaining(/*recurse=*/true);
    return report(tl::unexpected(
        Failure{ExitCode::kUsage,
                (unknown.empty() ? std::string(error.what())
                                 : "'" + unknown.front() + "' is not understood here") +
                    "; --help behind a command shows what can be given"}));
  }
  while (url.ends_with('/')) url.pop_back();
  const auto token = find_token(token_file, with_secrets);
  if (!token) return report(tl::unexpected(token.error()));
  const ApiClient api({url, *token});
  return report(commands.chosen()({api, json}));
}
