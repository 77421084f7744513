// vantrod: the server. main() reads as the order in which things happen.
#include <CLI/CLI.hpp>
#include <atomic>
#include <boost/asio/executor_work_guard.hpp>
#include <boost/asio/io_context.hpp>
#include <boost/asio/post.hpp>
#include <boost/asio/signal_set.hpp>
#include <boost/asio/steady_timer.hpp>
#include <cctype>
#include <csignal>
#include <filesystem>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <functional>
#include <iostream>
#include <malloc.h>
#include <memory>
#include <optional>
#include <pthread.h>
#include <sys/resource.h>
#include <sys/stat.h>

#include "base/clock.h"
#include "base/protocol.h"
#include "base/sizes.h"
#include "crypto/tls.h"
#include "daemon/configs.h"
#include "daemon/key_file.h"
#include "daemon/port_holder.h"
#include "daemon/settings.h"
#include "daemon/work_pool.h"
#include "gate/backup_changes.h"
#include "gate/gate.h"
#include "gate/repository.h"
#include "manage/server.h"
#include "probe/apart.h"
#include "serve/ftp/server.h"
#include "serve/http/server.h"
#include "serve/ssh/server.h"
#include "serve/tcp_server.h"
#include "serve/tftp/server.h"
#include "upkeep/drop_folder.h"
#include "upkeep/recovery.h"
#include "upkeep/verify.h"

namespace {

namespace asio = boost::asio;
using namespace vantro;
using namespace vantro::daemon;

constexpr std::size_t kDiskThreads = 4;
// Few: a long answer takes up to 70 MiB while it is made.
constexpr std::size_t kDeskThreads = 2;
constexpr std::size_t kSlowThreads = 2;
// They wait for the disk, all for the same: so many uploads are filed together.
constexpr std::size_t kFilingThreads = 64;
// Looking at a password takes 64 MiB and a tenth of a second.
constexpr std::size_t kDoorThreads = 2;
constexpr std::chrono::hours kSweepInterval{1};
constexpr std::chrono::seconds kTrimInterval{5};
constexpr base::WallTime kDayMs = 86'400'000;
constexpr std::chrono::seconds kOffersInterval{30};
constexpr const char* kStopping = "the server is being stopped; try again in a minute";

enum ExitCode { kDone = 0, kFailed = 1, kUsage = 2 };

struct Options {
  Settings settings;
  std::shared_ptr<crypto::TlsServer> tls;      // null: no HTTPS
  std::shared_ptr<crypto::TlsServer> ftp_tls;  // null: no AUTH TLS
  bool recover_database = false;
  bool accept_older_database = false;
  crypto::SealKeys keys;  // of backups.key_file
  bool check = false;
};

int fail(const std::string& sentence, int code) {
  std::cerr << "vantrod: " << sentence << '\n';
  return code;
}

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

// The exit code if it ends here.
std::optional<int> read_options(int argc, char** argv, Options& options) {
  CLI::App app{"vantrod: hands out device images and takes backups in", "vantrod"};
  app.set_version_flag("--version", VANTRO_VERSION);
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

// A transfer takes two descriptors; the usual limit of 1,024 would end at 500 of them.
void raise_descriptor_limit() {
  rlimit limit{};
  if (::getrlimit(RLIMIT_NOFILE, &limit) != 0) return;
  limit.rlim_cur = limit.rlim_max;
  ::setrlimit(RLIMIT_NOFILE, &limit);
}

// A hundred threads with the usual 8 MiB of stack and arenas of 64 MiB would reserve
// more address space than a small machine may give, and keep what they once had.
void keep_memory_small() {
  constexpr std::size_t kStack = 2 << 20;
  constexpr int kArenas = 4;
  constexpr int kMapped = 256 << 10;  // larger pieces go back as soon as they are freed
  pthread_attr_t attributes;
  if (::pthread_attr_init(&attributes) == 0) {
    ::pthread_attr_setstacksize(&attributes, kStack);
    ::pthread_setattr_default_np(&attributes);
    ::pthread_attr_destroy(&attributes);
  }
  ::mallopt(M_ARENA_MAX, kArenas);
  ::mallopt(M_MMAP_THRESHOLD, kMapped);
}

// What long answers took goes back to the system: the pieces between what is in use would
// stay with the process, and the next long answer comes on top of them.
void give_memory_back() {
  constexpr std::size_t kWorthIt = 16 << 20;
  if (::mallinfo2().fordblks >= kWorthIt) ::malloc_trim(0);
}

// What listens where, in the order of base::protocols().
struct Listening {
  std::string protocol;
  base::Endpoint where;
};

// The address that is worth typing into a device.
std::string reachable(const base::Endpoint& where) {
  if (!where.address.is_unspecified()) return where.address.text();
  const auto own = own_addresses();
  return own.empty() ? where.address.text() : own.front().text();
}

std::string title(const std::string& protocol) {
  auto text = protocol;
  for (auto& c : text) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
  return text;
}

api::Ssh ssh_status(const serve::ssh::Server& server) {
  api::Ssh status;
  for (const auto& [type, fingerprint] : server.host_keys()) {
    status.host_keys.push_back({type, fingerprint});
  }
  for (const auto& one : server.config().older) {
    status.older.push_back(
        {one.networks.text(), fmt::format("{}", fmt::join(one.algorithms, ", "))});
  }
  status.older_sessions = server.older_sessions();
  if (const auto last = server.last_older()) {
    status.last_older = api::OlderSession{base::iso_time(last->at), last->address,
                                          last->account, last->algorithms};
  }
  return status;
}

void say_where(const Options& options, gate::Gate& gate,
               const std::vector<Listening>& devices, const serve::ssh::Server* ssh,
               const base::Endpoint& management, const base::Log& log) {
  auto& folder = gate.repository().folder;
  const auto& settings = options.settings;
  if (settings.log_form == base::Log::Form::kJson) {
    for (const auto& [protocol, where] : devices) {
      log.info(title(protocol) + " listens", {{"address", where.text()}});
    }
    log.info("management listens", {{"address", management.text()}});
    log.info("ready", {{"state", settings.state}, {"offers", gate.offers()}});
    return;
  }
  std::string lines = fmt::format("vantrod {}\n", VANTRO_VERSION);
  lines +=
      fmt::format("State is in {}: {} names on offer, {} free on the disk.\n",
                  folder.path(), gate.offers(), base::size_text(folder.free_bytes()));
  for (const auto& [protocol, where] : devices) {
    if (protocol == "scp") continue;  // said with SFTP
    lines += protocol == "ftps"
                 ? fmt::format("AUTH TLS is understood on {}.\n", where.text())
             : protocol == "sftp"
                 ? fmt::format("SSH (SCP and SFTP) listens on {}.\n", where.text())
                 : fmt::format("{} listens on {}.\n", title(protocol), where.text());
  }
  if (ssh != nullptr) {
    for (const auto& [type, fingerprint] : ssh->host_keys()) {
      lines += fmt::format("SSH host key {} {}\n", type, fingerprint);
    }
  }
  const auto say_certificate = [&](const std::string& of, const crypto::TlsServer& tls) {
    lines += fmt::format("{} certificate is good until {}; SHA-256 {}.\n", of,
                         base::local_time(tls.valid_until()), tls.fingerprint());
  };
  if (options.ftp_tls == options.tls && options.tls) {
    say_certificate(settings.https_listen.empty() ? "FTP's" : "HTTPS' and FTP's",
                    *options.tls);
  } else {
    if (options.tls) say_certificate("HTTPS'", *options.tls);
    if (options.ftp_tls) say_certificate("FTP's", *options.ftp_tls);
  }
  lines += fmt::format("Management listens on {}; its token is in {}.\n",
                       management.text(), folder.token_file());
  const auto& first = devices.front().where;
  lines += fmt::format(
      "A device types: protocol TFTP, server {}{}, and a name from 'vantro "
      "offer list'.\n",
      reachable(first), first.port == 69 ? "" : fmt::format(", port {}", first.port));
  if (gate.offers() == 0) {
    lines += "Nothing is on offer yet; take an image in with 'vantro image add FILE'.\n";
  }
  lines += "Ready.\n";
  std::cout << lines << std::flush;
}

}  // namespace

int main(int argc, char** argv) try {
  if (argc == 3 && std::string_view(argv[1]) == probe::kChildArgument) {
    return probe::child_main(argv[2]);
  }
  Options options;
  if (const auto code = read_options(argc, argv, options)) return *code;
  auto& settings = options.settings;
  // What is said about it must hold in another folder, too.
  settings.state = std::filesystem::absolute(settings.state).lexically_normal();
  ::umask(0077);
  ::signal(SIGPIPE, SIG_IGN);
  raise_descriptor_limit();
  keep_memory_small();
  const base::Log log(settings.log_form, settings.log_level);
  const base::SystemClock clock;

  if (options.recover_database) {
    if (auto done =
            upkeep::rebuild_database(settings.state, options.keys, clock.wall(), log);
        !done) {
      return fail(done.error().sentence, kFailed);
    }
  }
  auto repository =
      gate::Repository::open(settings.state, log, options.accept_older_database);
  if (!repository) return fail(repository.error().sentence, kFailed);
  (*repository)->folder.use_keys(options.keys);
  const auto token = manage::operator_token((*repository)->folder.token_file());
  if (!token) return fail(token.error().sentence, kFailed);
  const auto secrets_token =
      manage::operator_token((*repository)->folder.secrets_token_file());
  if (!secrets_token) return fail(secrets_token.error().sentence, kFailed);
  auto recovery = upkeep::recover(**repository, clock.wall(), log);
  if (!recovery) return fail(recovery.error().sentence, kFailed);
  const std::chrono::hours keep_partial(24 * settings.backups_keep_partial_days);
  auto gate = gate::Gate::open(**repository, clock, log, gate_config(settings));
  if (!gate) return fail(gate.error().sentence, kFailed);

  // Destroyed in reverse: servers, loops, then the pool, whose work uses the gate.
  upkeep::Verifier verifier(**gate);
  upkeep::Resealer resealer(**gate);
  daemon::WorkPool disk(kDiskThreads, log);
  // What people ask may take long; devices need not wait for it.
  daemon::WorkPool desk(kDeskThreads, log);
  daemon::WorkPool slow(kSlowThreads, log);
  daemon::WorkPool doors(kDoorThreads, log);
  daemon::WorkPool filing(kFilingThreads, log);
  asio::io_context main_loop(1);
  serve::tftp::Server tftp({disk, filing}, **gate, clock, log, tftp_config(settings));
  if (const auto bound = tftp.bind(); !bound) {
    return fail(bind_sentence("TFTP", Transport::kUdp, bound.error().where,
                              bound.error().error_number, "--tftp-listen"),
                kFailed);
  }
  serve::ConnectionRoom room(static_cast<std::size_t>(settings.limits_connections));
  const serve::Services services{disk, slow, doors, filing, **gate, clock, log, room};
  serve::TcpServer ftp(services, ftp_tcp_config(settings, options.ftp_tls),
                       serve::ftp::protocol(ftp_config(settings, VANTRO_VERSION)));
  if (const auto bound = ftp.bind(); !bound) {
    return fail(bind_sentence("FTP", Transport::kTcp, bound.error().where,
                              bound.error().error_number, "--ftp-listen") +
                    "; '--ftp-listen none' does without",
                kFailed);
  }
  serve::TcpServer http(services, http_tcp_config(settings, options.tls),
                        serve::http::protocol(http_patience(settings)));
  if (const auto bound = http.bind(); !bound) {
    return fail(bind_sentence("HTTP", Transport::kTcp, bound.error().where,
                              bound.error().error_number, "--http-listen") +
                    "; '--http-listen none' does without",
                kFailed);
  }
  // Null: it is not served, and has no keys.
  std::unique_ptr<serve::ssh::Server> ssh_server;
  std::unique_ptr<serve::TcpServer> ssh;
  if (!settings.ssh_listen.empty()) {
    auto prepared = serve::ssh::Server::prepare(
        (*repository)->folder.path() + "/ssh", ssh_config(settings, VANTRO_VERSION), log);
    if (!prepared) return fail(prepared.error().sentence, kFailed);
    ssh_server = std::move(*prepared);
    ssh = std::make_unique<serve::TcpServer>(services, ssh_tcp_config(settings),
                                             ssh_server->protocol());
    if (const auto bound = ssh->bind(); !bound) {
      return fail(bind_sentence("SSH", Transport::kTcp, bound.error().where,
                                bound.error().error_number, "--ssh-listen") +
                      "; '--ssh-listen none' does without",
                  kFailed);
    }
  }
  std::vector<Listening> devices;
  for (const auto& where : tftp.listening()) devices.push_back({"tftp", where});
  for (const auto& where : ftp.listening()) {
    devices.push_back({"ftp", where});
    if (options.ftp_tls) devices.push_back({"ftps", where});
  }
  for (const auto& where : http.listening()) devices.push_back({"http", where});
  for (const auto& where : http.listening_tls()) devices.push_back({"https", where});
  for (const auto& where : ssh ? ssh->listening() : std::vector<base::Endpoint>()) {
    devices.push_back({"scp", where});
    devices.push_back({"sftp", where});
  }
  manage::Service service{**gate,
                          verifier,
                          settings.verify_rate,
                          clock,
                          VANTRO_VERSION,
                          clock.wall(),
                          {},
                          {},
                          own_addresses,
                          address_towards,
                          {},
                          &resealer};
  manage::Server management(main_loop, desk, slow, service, log,
                            {settings.management_listen, *token, *secrets_token});
  if (const int error = management.bind(); error != 0) {
    return fail(bind_sentence("Management", Transport::kTcp, settings.management_listen,
                              error, "--management-listen"),
                kFailed);
  }
  for (const auto& [protocol, where] : devices) {
    service.listeners.push_back(
        {protocol, where.text(), base::find_protocol(protocol)->protects});
    service.devices.push_back({protocol, where});
  }
  if (ssh_server) service.ssh = [&] { return ssh_status(*ssh_server); };
  service.listeners.push_back({"management", management.listening().text(), false});
  (*gate)->record_event("server-start", "server",
                        fmt::format("vantrod {}", VANTRO_VERSION));

  tftp.start();
  ftp.start();
  http.start();
  if (ssh) ssh->start();
  management.start();
  // The loop runs until it is stopped, also when nothing is left to wait for.
  const auto main_work = asio::make_work_guard(main_loop);

  std::unique_ptr<upkeep::DropFolder> drop_folder;
  if (!settings.drop_folder.empty()) {
    auto watched = upkeep::DropFolder::watch(
        **gate, {settings.drop_folder, std::chrono::seconds(settings.drop_settle_s)});
    if (!watched) return fail(watched.error().sentence, kFailed);
    drop_folder = std::move(*watched);
  }

  if (auto begun = resealer.start(); !begun) {
    return fail(begun.error().sentence, kFailed);
  }
  asio::steady_timer sweep_timer(main_loop);
  base::WallTime thinned_at = 0;
  const std::function<void()> sweep = [&] {
    asio::post(disk, [&] {
      if (auto swept =
              upkeep::sweep_partial(**repository, clock.wall(), keep_partial, log);
          !swept) {
        log.warning("old partial files can't be swept",
                    {{"why", swept.error().sentence}});
      }
      if (settings.verify_every_days == 0) return;
      upkeep::VerifyRequest due;
      due.unread_for = std::chrono::hours(24 * settings.verify_every_days);
      due.bytes_per_second = settings.verify_rate;
      due.who = "server";
      if (auto begun = verifier.start(due);
          !begun && begun.error().kind != base::Kind::kBusy) {
        log.warning("stored bytes can't be verified", {{"why", begun.error().sentence}});
      }
    });
    if (settings.backups_thin_out_daily && clock.wall() - thinned_at >= kDayMs) {
      thinned_at = clock.wall();
      asio::post(slow, [&] {
        if (auto done = gate::BackupChanges(**gate, "server").thin_out_all(); !done) {
          log.warning("backups can't be thinned out", {{"why", done.error().sentence}});
        }
      });
    }
    sweep_timer.expires_after(kSweepInterval);
    sweep_timer.async_wait([&](const auto& error) {
      if (!error) sweep();
    });
  };
  sweep();

  asio::steady_timer trim_timer(main_loop);
  const std::function<void()> trim = [&] {
    asio::post(slow, give_memory_back);
    trim_timer.expires_after(kTrimInterval);
    trim_timer.async_wait([&](const auto& error) {
      if (!error) trim();
    });
  };
  trim();

  asio::steady_timer offers_timer(main_loop);
  const std::function<void()> end_offers = [&] {
    asio::post(disk, [&] {
      if (auto ended = (*gate)->end_expired_offers(); !ended) {
        log.warning("offers whose time is over can't be ended",
                    {{"why", ended.error().sentence}});
      }
    });
    offers_timer.expires_after(kOffersInterval);
    offers_timer.async_wait([&](const auto& error) {
      if (!error) end_offers();
    });
  };
  end_offers();

  // On a signal: no new requests, a grace for what runs, then the end of the loop.
  const std::chrono::seconds grace(settings.stop_grace_s);
  asio::steady_timer intake_timer(main_loop);
  auto stop_at = base::Instant::max();
  const std::function<void()> wait_for_intakes = [&] {
    if ((*gate)->transfers().running() == 0 || clock.now() >= stop_at) {
      main_loop.stop();
      return;
    }
    intake_timer.expires_after(std::chrono::milliseconds(50));
    intake_timer.async_wait([&](const auto&) { wait_for_intakes(); });
  };
  std::atomic<int> to_drain = ssh ? 4 : 3;
  const auto drained = [&] {
    if (--to_drain == 0) asio::post(main_loop, wait_for_intakes);
  };
  asio::signal_set signals(main_loop, SIGTERM, SIGINT);
  signals.async_wait([&](const boost::system::error_code& error, int number) {
    if (error) return;
    log.info("stopping", {{"signal", number == SIGINT ? "SIGINT" : "SIGTERM"},
                          {"running", (*gate)->transfers().running()}});
    stop_at = clock.now() + grace;
    sweep_timer.cancel();
    trim_timer.cancel();
    offers_timer.cancel();
    management.stop();
    tftp.drain(grace, kStopping, drained);
    ftp.drain(grace, drained);
    http.drain(grace, drained);
    if (ssh) ssh->drain(grace, drained);
  });
  // Only now: whoever reads it may stop the server at once.
  say_where(options, **gate, devices, ssh_server.get(), management.listening(), log);
  daemon::run_on(main_loop, log);

  tftp.stop();
  ftp.stop();
  http.stop();
  // Its connections end with its lane, on their own threads.
  ssh.reset();
  drop_folder.reset();
  (*gate)->stop_verifying_first();
  disk.join();
  desk.join();
  slow.join();
  filing.join();
  doors.join();
  verifier.stop();
  (*gate)->record_event("server-stop", "server", "");
  log.info("stopped");
  return kDone;
} catch (const std::exception& error) {
  return fail(error.what(), kFailed);
}
