#include "daemon/command_line.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <iostream>
#include <utility>
#include <vector>

#include "daemon/key_file.h"

namespace vantro::daemon {

int fail(const std::string& sentence, int code) {
  std::cerr << "vantrod: " << sentence << '\n';
  return code;
}

namespace {

// Both left null where no listener needs one.
base::Outcome<void> load_certificates(Options& options) {
  const auto& settings = options.settings;
  if (!settings.https_listen.empty() && settings.https_certificate.empty()) {
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
  const bool ftp = !settings.ftp_listen.empty();
  const bool own = ftp && !settings.ftp_certificate.empty();
  const bool shared = ftp && !own && !settings.https_certificate.empty();
  if (!settings.https_listen.empty() || shared) {
    auto done = load(settings.https_certificate, settings.https_key, options.tls);
    if (!done) return done;
  }
  if (own) return load(settings.ftp_certificate, settings.ftp_key, options.ftp_tls);
  if (shared) options.ftp_tls = options.tls;
  return {};
}

}  // namespace

std::optional<int> read_options(int argc, char** argv, const char* version,
                                Options& options) {
  CLI::App app{"vantrod: hands out device images and takes backups in", "vantrod"};
  app.set_version_flag("--version", version);
  std::string config;
  std::string state;
  std::vector<std::string> tftp_listen;
  std::vector<std::string> ftp_listen;
  std::vector<std::string> http_listen;
  std::vector<std::string> https_listen;
  std::vector<std::string> ssh_listen;
  std::string management_listen;
  std::string log_form;
  std::string log_level;
  app.add_option("--config", config, "settings file (TOML); flags here win over it");
  app.add_option("--state", state, "folder for everything that is kept")
      ->default_str(options.settings.state);
  app.add_option("--tftp-listen", tftp_listen, "ADDRESS:PORT, more than once if wanted")
      ->default_str("0.0.0.0:69 and [::]:69");
  app.add_option("--ftp-listen", ftp_listen, "ADDRESS:PORT, more than once, or none")
      ->default_str("0.0.0.0:21 and [::]:21");
  app.add_option("--http-listen", http_listen, "ADDRESS:PORT, more than once, or none")
      ->default_str("0.0.0.0:80 and [::]:80");
  app.add_option("--https-listen", https_listen,
                 "ADDRESS:PORT, more than once, or none; its certificate is in the "
                 "settings")
      ->default_str("none");
  app.add_option("--ssh-listen", ssh_listen,
                 "ADDRESS:PORT for SCP and SFTP, more than once, or none")
      ->default_str("none");
  app.add_option("--management-listen", management_listen, "loopback ADDRESS:PORT")
      ->default_str("127.0.0.1:7070");
  app.add_option("--log-form", log_form, "text or json")->default_str("text");
  app.add_option("--log-level", log_level, "debug, info, warning or error")
      ->default_str("info");
  app.add_flag("--check", options.check,
               "read the settings, say if they are sound, and end");
  app.add_flag(
      "--recover-database", options.recover_database,
      "when vantro.db is lost or damaged: put it aside and record the files in vault/ "
      "anew, as held images without their names");
  app.add_flag("--accept-older-database", options.accept_older_database,
               "Start with a vantro.db that is older than vault/, such as a copy that "
               "was put back; files that it does not know wait for 'vantro unrecorded'");
  std::string new_key;
  app.add_option("--new-key", new_key,
                 "put a new key at the beginning of this key file (backups.key_file), or "
                 "make the file, and end");
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    return app.exit(error) == 0 ? kDone : kUsage;
  }
  if (!new_key.empty()) {
    const auto id = daemon::add_new_key(new_key);
    if (!id) return fail(id.error().sentence, kFailed);
    std::cout << fmt::format(
        "{}: key {} was added. Keep a copy of this file apart from the server: without "
        "it nobody reads what was encrypted.\nName it in the settings (backups.key_file) "
        "and restart vantrod; 'vantro status' shows how far it is.\n",
        new_key, *id);
    return kDone;
  }
  if (!config.empty()) {
    auto read = read_settings(config);
    if (!read) return fail(read.error().sentence, kUsage);
    options.settings = std::move(*read);
  }
  const std::pair<const char*, const std::string&> flags[] = {
      {"state", state},
      {"management.listen", management_listen},
      {"log.form", log_form},
      {"log.level", log_level},
  };
  for (const auto& [key, value] : flags) {
    if (value.empty()) continue;
    if (auto done = set(options.settings, key, value); !done) {
      return fail(done.error().sentence, kUsage);
    }
  }
  const std::pair<const char*, const std::vector<std::string>&> listens[] = {
      {"tftp.listen", tftp_listen}, {"ftp.listen", ftp_listen},
      {"http.listen", http_listen}, {"https.listen", https_listen},
      {"ssh.listen", ssh_listen},
  };
  for (const auto& [key, texts] : listens) {
    if (texts.empty()) continue;
    if (auto done = set_listen(options.settings, key, texts); !done) {
      return fail(done.error().sentence, kUsage);
    }
  }
  if (auto loaded = load_certificates(options); !loaded) {
    return fail(loaded.error().sentence, kUsage);
  }
  if (const auto& file = options.settings.backups_key_file; !file.empty()) {
    auto keys = daemon::load_keys(file);
    if (!keys) return fail(keys.error().sentence, kUsage);
    options.keys = std::move(*keys);
  }
  if (options.check) {
    std::cout << "The settings are sound.\n";
    return kDone;
  }
  return std::nullopt;
}

}  // namespace vantro::daemon
