#include "daemon/command_line.h"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <array>
#include <filesystem>
#include <fmt/format.h>
#include <iostream>
#include <unistd.h>
#include <utility>
#include <vector>

#include "api/description.h"
#include "api/typescript.h"
#include "base/clock.h"
#include "base/visible_name.h"
#include "daemon/certificates.h"
#include "daemon/database_place.h"
#include "daemon/in_force.h"
#include "daemon/key_file.h"
#include "daemon/node_name.h"
#include "manual/manual.h"
#include "store/vault_needs.h"

namespace vantro::daemon {

int fail(const std::string& sentence, int code) {
  std::cerr << "vantrod: " << sentence << '\n';
  return code;
}

namespace {

constexpr std::size_t kLongestShown = 60;

// Left null: HTTPS' if none is named, FTP's if FTP does not listen either.
base::Outcome<void> load_certificates(Options& options) {
  const auto& settings = options.settings;
  if (!settings.https.listen.empty() && settings.https.certificate.empty()) {
    return base::refuse(base::Kind::kInvalid,
                        "HTTPS needs a certificate: name its file in the settings, "
                        "https.certificate");
  }
  const auto load = [](const std::string& certificate, const std::string& key,
                       std::shared_ptr<crypto::TlsServer>& to) -> base::Outcome<void> {
    auto loaded = crypto::TlsServer::load(certificate, key.empty() ? certificate : key);
    if (!loaded) return base::refuse(loaded.error());
    to = std::move(*loaded);
    return {};
  };
  const bool ftp = !settings.ftp.listen.empty();
  const bool own = ftp && !settings.ftp.certificate.empty();
  const bool shared = ftp && !own && !settings.https.certificate.empty();
  if (!settings.https.certificate.empty()) {
    auto done = load(settings.https.certificate, settings.https.key, options.tls);
    if (!done) return done;
  }
  if (own) return load(settings.ftp.certificate, settings.ftp.key, options.ftp_tls);
  if (shared) options.ftp_tls = options.tls;
  return {};
}

// A value without the marks of a text or a list in the file.
std::string plain(std::string value) {
  std::erase_if(value, [](char c) { return c == '"'; });
  if (value.starts_with('[') && value.ends_with(']')) {
    value = value.substr(1, value.size() - 2);
  }
  return value.empty() ? "none" : value;
}

// Settings that differ from the defaults: "tftp.threads = 4  (default 2; 1 to 64)".
std::string differences(const Settings& settings) {
  std::string text;
  const auto defaults = about(Settings());
  const auto all = about(settings);
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (all[i].value == defaults[i].value) continue;
    text += fmt::format("  {} = {}  (default {}; {}{}{})\n", all[i].key,
                        all[i].value.empty() ? "none" : all[i].value,
                        defaults[i].value.empty() ? "none" : defaults[i].value,
                        all[i].allowed, all[i].unit.empty() ? "" : " ", all[i].unit);
  }
  return text.empty() ? text : "These are not the default:\n" + text;
}

// Its own man page and completions, and the page of the settings file.
base::Outcome<void> write_manuals(const CLI::App& app, const char* version,
                                  const std::string& folder) {
  auto files = manual::completions(app);
  files.merge(manual::man_pages(app, {version, 8, {}, {"vantro(1)", "vantro.toml(5)"}}));
  std::vector<manual::Entry> entries;
  for (const auto& one : about(Settings())) {
    entries.push_back(
        {one.key,
         fmt::format("{}.\n{}{}{}. Default: {}. {}", one.meaning,
                     one.allowed.empty() ? "" : "Takes ", one.allowed,
                     one.unit.empty() ? "" : " " + one.unit,
                     one.value.empty() ? "none" : one.value,
                     one.reloadable ? "A reload applies it." : "A restart applies it.")});
  }
  files["man/man5/vantro.toml.5"] = manual::man_page(
      "vantro.toml", "settings of vantrod", {version, 5, {}, {"vantrod(8)", "vantro(1)"}},
      "A file in TOML. A key that is unknown is refused with its line and the nearest "
      "one "
      "that is known. The file that the package installs explains each with an example. "
      "Tables such as [[rule]] may stand any number of times.",
      "Settings", entries);
  return manual::write(files, folder);
}

// What would change for the server that runs on the same state folder.
std::string against_running(const Settings& settings) {
  const auto running = in_force_at(own_state(settings));
  if (!running) return "";
  const auto keys = differing(*running, settings.given);
  if (keys.empty()) return "The running vantrod has these settings.\n";
  std::string now, later;
  for (const auto& one : about(settings)) {
    if (!keys.contains(one.key)) continue;
    const auto before = running->find(one.key);
    // Settings that need a restart still have their values of the start.
    auto& text = reloads(one, *running) ? now : later;
    text += fmt::format(
        "  {} = {}  (runs with {})\n", one.key, one.value.empty() ? "none" : one.value,
        before == running->end() ? "the default"
                                 : base::printable(before->second, kLongestShown));
  }
  if (!now.empty()) {
    now = "In the running vantrod, 'vantro reload' changes:\n" + now;
  }
  if (!later.empty()) later = "A restart changes:\n" + later;
  return now + later;
}

}  // namespace

base::Outcome<Settings> settings_of(const Options& options) {
  Settings settings;
  if (!options.config.empty()) {
    auto read = read_settings(options.config);
    if (!read) return read;
    settings = std::move(*read);
  }
  for (const auto& [key, given] : options.flags) {
    if (auto done = set(settings, key, given); !done) return base::refuse(done.error());
  }
  if (!options.rescue.interface.empty()) {
    // The session opens what it needs, on its network interface.
    settings.tftp.listen.clear();
    settings.ftp.listen.clear();
    settings.http.listen.clear();
    settings.https.listen.clear();
    settings.ssh.listen.clear();
    settings.management.listen.clear();
    settings.management.tls_listen.clear();
    settings.drop.folder.clear();
  }
  // The messages about it must hold in another folder, too.
  settings.state = std::filesystem::absolute(settings.state).lexically_normal();
  return settings;
}

namespace {

// Nothing for the file: the running server has it.
std::string database_answers(const DatabaseSettings& settings) {
  const auto place = database_place(settings);
  if (!place) return "TROUBLE: " + place.error().sentence + "\n";
  if (place->empty()) return "";
  const auto sound = db::Database::check(*place);
  return sound ? "The " + db::Database::shown(*place) + " answers.\n"
               : "TROUBLE: " + sound.error().sentence + "\n";
}

// For a node: whether its file system is fit for a state that is shared. Only where it is
// already, and for who may write there.
std::string file_system_fits(const Settings& settings) {
  if (node_of(settings).empty() || ::access(settings.state.c_str(), W_OK) != 0) return "";
  const auto fit = store::check_file_system(settings.state);
  return fit ? fmt::format("The file system of {} is fit for nodes.\n", settings.state)
             : "TROUBLE: " + fit.error().sentence + "\n";
}

}  // namespace

std::optional<int> read_options(int argc, char** argv, const char* version,
                                Options& options) {
  CLI::App app{"vantrod: hands out device images and receives backups", "vantrod"};
  app.set_version_flag("--version", version);
  app.add_option("--config", options.config,
                 "settings file (TOML); these flags override it");
  // Settings that have a flag; their fields() say which values are allowed.
  struct Flag {
    const char* name;
    const char* key;
    const char* what;  // the word for its value
    const char* more;  // what may be given beside one
    std::vector<std::string> given = {};
  };
  std::array flags{
      Flag{"--state", "state", "FOLDER", ""},
      Flag{"--database", "database.url", "URL", ""},
      Flag{"--node", "node.name", "NAME", ""},
      Flag{"--tftp-listen", "tftp.listen", "ADDRESS:PORT", "; more than once if wanted"},
      Flag{"--ftp-listen", "ftp.listen", "ADDRESS:PORT", "; more than once, or none"},
      Flag{"--http-listen", "http.listen", "ADDRESS:PORT", "; more than once, or none"},
      Flag{"--https-listen", "https.listen", "ADDRESS:PORT", "; more than once, or none"},
      Flag{"--ssh-listen", "ssh.listen", "ADDRESS:PORT", "; more than once, or none"},
      Flag{"--management-listen", "management.listen", "ADDRESS:PORT",
           "; more than once, or none"},
      Flag{"--management-tls-listen", "management.tls_listen", "ADDRESS:PORT",
           "; more than once, or none"},
      Flag{"--management-socket", "management.socket", "PATH", ""},
      Flag{"--user", "process.user", "USER", ""},
      Flag{"--log-form", "log.form", "FORM", ""},
      Flag{"--log-level", "log.level", "LEVEL", ""},
  };
  const auto settings = about(options.settings);
  for (auto& flag : flags) {
    const auto told = std::find_if(settings.begin(), settings.end(),
                                   [&](const auto& one) { return one.key == flag.key; });
    auto* option = app.add_option(
        flag.name, flag.given,
        fmt::format("{}{}{} (default: {})", told->meaning, flag.more,
                    told->allowed.starts_with('"') ? ": " + plain(told->allowed) : "",
                    plain(told->value)));
    option->type_name(flag.what)->group("Settings");
    if (*flag.more == '\0') option->expected(1);
  }
  app.add_flag("--check", options.check, "check the settings, and end");
  app.add_flag(
      "--recover-database", options.recover_database,
      "if vantro.db is lost or damaged: move it away and record the files in vault/ "
      "again, as held images without their names");
  app.add_flag("--accept-older-database", options.accept_older_database,
               "Start with a vantro.db that is older than vault/, such as a restored "
               "copy; for files that it does not know, see 'vantro unrecorded'");
  app.add_option("--move-database", options.move_database,
                 "Move everything that is recorded to this PostgreSQL database, or back "
                 "to the state folder (file), compare every row, and end")
      ->type_name("URL");
  app.add_option("--restore", options.restore,
                 "Make the state folder from a snapshot (a folder, or a .tar file), "
                 "compare every byte with its checksums, and end")
      ->type_name("SNAPSHOT");
  auto& rescue = options.rescue;
  auto* on = app.add_option(
      "--rescue", rescue.interface,
      "Serve one device without a system on this interface, and nothing else");
  on->type_name("INTERFACE")->group("Rescue");
  const auto for_rescue = [&](CLI::Option* option, const char* what) {
    if (*what != '\0') option->type_name(what);
    option->needs(on)->group("Rescue");
  };
  for_rescue(app.add_option("--profile", rescue.profile,
                            "Rescue profile of the settings (default: the only one)"),
             "NAME");
  for_rescue(app.add_option("--image", rescue.image, "Add this image file first"),
             "FILE");
  for_rescue(app.add_option("--text", rescue.text,
                            "File with the text that the profile asks for"),
             "FILE");
  for_rescue(app.add_option("--rescue-for", rescue.hold,
                            "End by itself after this time (default: 60m)"),
             "TIME");
  for_rescue(app.add_option("--link-address", rescue.link_addresses,
                            "Serve this device only (default: the first that asks)"),
             "MAC");
  for_rescue(
      app.add_flag("--any-device", rescue.any_device, "Serve everybody on the wire"), "");
  for_rescue(app.add_flag("--own-address", rescue.own_address,
                          "Add the address that the device calls, for this time"),
             "");
  for_rescue(app.add_flag("--despite-other", rescue.despite_other,
                          "Go on although another address server answers there"),
             "");
  std::string describe_api;
  app.add_option("--describe-api", describe_api,
                 "write the description of the management API, and end: openapi (OpenAPI "
                 "3.1), markdown "
                 "or typescript")
      ->check(CLI::IsMember({"openapi", "markdown", "typescript"}));
  std::string new_key;
  app.add_option("--new-key", new_key,
                 "put a new key at the beginning of this key file (backups.key_file), or "
                 "make the file, and end");
  std::string manuals;
  app.add_option("--write-manuals", manuals,
                 "Write man pages and shell completions to this folder, and end")
      ->type_name("FOLDER");
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    return app.exit(error) == 0 ? kDone : kUsage;
  }
  if (!describe_api.empty()) {
    std::cout << (describe_api == "openapi"      ? api::openapi(version) + "\n"
                  : describe_api == "typescript" ? api::typescript()
                                                 : api::reference());
    return kDone;
  }
  if (!manuals.empty()) {
    const auto written = write_manuals(app, version, manuals);
    return written ? kDone : fail(written.error().sentence, kFailed);
  }
  if (!new_key.empty()) {
    const auto id = daemon::add_new_key(new_key);
    if (!id) return fail(id.error().sentence, kFailed);
    std::cout << fmt::format(
        "{}: key {} was added. Keep a copy of this file away from the server: without it "
        "nobody can read the encrypted files.\nName it in the settings "
        "(backups.key_file) "
        "and restart vantrod; 'vantro status' shows the progress.\n",
        new_key, *id);
    return kDone;
  }
  for (const auto& flag : flags) {
    if (!flag.given.empty()) options.flags.emplace_back(flag.key, flag.given);
  }
  auto read = settings_of(options);
  if (!read) return fail(read.error().sentence, kUsage);
  options.settings = std::move(*read);
  if (auto loaded = load_certificates(options); !loaded) {
    return fail(loaded.error().sentence, kUsage);
  }
  if (const auto& file = options.settings.backups.key_file; !file.empty()) {
    auto keys = daemon::load_keys(file);
    if (!keys) return fail(keys.error().sentence, kUsage);
    options.keys = std::move(*keys);
  }
  if (options.check) {
    std::cout << "The settings are sound.\n"
              << differences(options.settings) << against_running(options.settings)
              << database_answers(options.settings.database)
              << file_system_fits(options.settings);
    for (const auto& one :
         certificates_trouble(options.settings, base::SystemClock{}.wall())) {
      std::cout << "TROUBLE: " << one << "\n";
    }
    return kDone;
  }
  return std::nullopt;
}

}  // namespace vantro::daemon
