// vantrod: the server. main() reads as the order in which things happen.
#include <CLI/CLI.hpp>
#include <atomic>
#include <boost/asio/executor_work_guard.hpp>
#include <boost/asio/io_context.hpp>
#include <boost/asio/post.hpp>
#include <boost/asio/signal_set.hpp>
#include <boost/asio/steady_timer.hpp>
#include <boost/asio/thread_pool.hpp>
#include <cctype>
#include <csignal>
#include <filesystem>
#include <fmt/format.h>
#include <functional>
#include <iostream>
#include <memory>
#include <optional>
#include <sys/resource.h>
#include <sys/stat.h>

#include "base/clock.h"
#include "base/protocol.h"
#include "base/sizes.h"
#include "crypto/tls.h"
#include "daemon/port_holder.h"
#include "daemon/settings.h"
#include "gate/gate.h"
#include "gate/repository.h"
#include "manage/server.h"
#include "probe/apart.h"
#include "serve/http/server.h"
#include "serve/tftp/server.h"
#include "upkeep/drop_folder.h"
#include "upkeep/recovery.h"
#include "upkeep/verify.h"

namespace {

namespace asio = boost::asio;
using namespace vantro;
using namespace vantro::daemon;

constexpr std::size_t kDiskThreads = 4;
constexpr std::size_t kSlowThreads = 2;
// Looking at a password takes 64 MiB and a tenth of a second.
constexpr std::size_t kDoorThreads = 2;
constexpr std::chrono::hours kSweepInterval{1};
constexpr std::chrono::seconds kOffersInterval{30};
constexpr const char* kStopping = "the server is being stopped; try again in a minute";

enum ExitCode { kDone = 0, kFailed = 1, kUsage = 2 };

struct Options {
  Settings settings;
  std::shared_ptr<crypto::TlsServer> tls;  // null: no HTTPS
  bool recover_database = false;
  bool check = false;
};

int fail(const std::string& sentence, int code) {
  std::cerr << "vantrod: " << sentence << '\n';
  return code;
}

// Null where no listener needs one.
base::Outcome<std::shared_ptr<crypto::TlsServer>> certificate(const Settings& settings) {
  if (settings.https_listen.empty()) return nullptr;
  if (settings.https_certificate.empty()) {
    return base::refuse(base::Kind::kInvalid,
                        "HTTPS needs a certificate: name its file in the settings, "
                        "https.certificate");
  }
  return crypto::TlsServer::load(
      settings.https_certificate,
      settings.https_key.empty() ? settings.https_certificate : settings.https_key);
}

// The exit code if it ends here.
std::optional<int> read_options(int argc, char** argv, Options& options) {
  CLI::App app{"vantrod: hands out device images and takes backups in", "vantrod"};
  app.set_version_flag("--version", VANTRO_VERSION);
  std::string config;
  std::string state;
  std::vector<std::string> tftp_listen;
  std::vector<std::string> http_listen;
  std::vector<std::string> https_listen;
  std::string management_listen;
  std::string log_form;
  std::string log_level;
  app.add_option("--config", config, "settings file (TOML); flags here win over it");
  app.add_option("--state", state, "folder for everything that is kept")
      ->default_str(options.settings.state);
  app.add_option("--tftp-listen", tftp_listen, "ADDRESS:PORT, more than once if wanted")
      ->default_str("0.0.0.0:69 and [::]:69");
  app.add_option("--http-listen", http_listen, "ADDRESS:PORT, more than once, or none")
      ->default_str("0.0.0.0:80 and [::]:80");
  app.add_option("--https-listen", https_listen,
                 "ADDRESS:PORT, more than once, or none; its certificate is in the "
                 "settings")
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
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    return app.exit(error) == 0 ? kDone : kUsage;
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
      {"tftp.listen", tftp_listen},
      {"http.listen", http_listen},
      {"https.listen", https_listen},
  };
  for (const auto& [key, texts] : listens) {
    if (texts.empty()) continue;
    if (auto done = set_listen(options.settings, key, texts); !done) {
      return fail(done.error().sentence, kUsage);
    }
  }
  auto tls = certificate(options.settings);
  if (!tls) return fail(tls.error().sentence, kUsage);
  options.tls = std::move(*tls);
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

serve::tftp::Config tftp_config(const Settings& settings) {
  serve::tftp::Config config;
  config.listen = settings.tftp_listen;
  config.threads = static_cast<std::size_t>(settings.tftp_threads);
  config.reply_ports = {settings.tftp_reply_ports.listening_port,
                        settings.tftp_reply_ports.range};
  config.ceiling.block_size = static_cast<std::size_t>(settings.tftp_largest_block);
  config.ceiling.window_size = static_cast<std::size_t>(settings.tftp_largest_window);
  config.patience.first = std::chrono::milliseconds(settings.tftp_resend_after_ms);
  config.patience.longest =
      std::max<base::Duration>(config.patience.longest, config.patience.first);
  config.patience.shortest =
      std::min<base::Duration>(config.patience.shortest, config.patience.first);
  config.patience.most_unanswered = static_cast<int>(settings.tftp_most_unanswered);
  config.patience.most_silence = std::chrono::seconds(settings.tftp_give_up_after_s);
  return config;
}

serve::http::Config http_config(const Options& options) {
  const auto& settings = options.settings;
  serve::http::Config config;
  config.listen = settings.http_listen;
  config.listen_tls = settings.https_listen;
  config.tls = options.tls;
  config.threads = static_cast<std::size_t>(settings.http_threads);
  config.most_connections = static_cast<std::size_t>(settings.limits_connections);
  config.most_per_address =
      static_cast<std::size_t>(settings.limits_connections_per_device);
  config.head_patience = std::chrono::seconds(settings.http_head_s);
  config.idle_patience = std::chrono::seconds(settings.http_idle_s);
  config.stall_patience = std::chrono::seconds(settings.http_stalled_s);
  return config;
}

gate::Config gate_config(const Settings& settings) {
  gate::Config limits;
  limits.largest_deposit = settings.backups_largest;
  limits.admission.in_all = static_cast<std::size_t>(settings.limits_transfers);
  limits.admission.per_network =
      static_cast<std::size_t>(settings.limits_transfers_per_network);
  limits.admission.per_address =
      static_cast<std::size_t>(settings.limits_transfers_per_device);
  limits.admission.arriving_per_address = settings.limits_arriving_per_device;
  limits.deposited_per_day = settings.limits_deposited_per_day;
  limits.rules = settings.rules;
  limits.only_vouched = settings.catalogue_only_vouched;
  for (const auto& pattern : settings.recognisers) {
    // The settings were read with this check.
    limits.recognisers.push_back(
        text::Recogniser::make(pattern, catalog::fact_names()).value());
  }
  // This program itself, also when its file has been exchanged since.
  limits.look = {"/proc/self/exe",
                 std::chrono::seconds(settings.catalogue_look_inside_s)};
  return limits;
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

void say_where(const Options& options, gate::Gate& gate,
               const std::vector<Listening>& devices, const base::Endpoint& management,
               const base::Log& log) {
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
    lines += fmt::format("{} listens on {}.\n", title(protocol), where.text());
  }
  if (options.tls) {
    lines += fmt::format("Its certificate is good until {}; SHA-256 {}.\n",
                         base::local_time(options.tls->valid_until()),
                         options.tls->fingerprint());
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
  const base::Log log(settings.log_form, settings.log_level);
  const base::SystemClock clock;

  if (options.recover_database) {
    if (auto done = upkeep::rebuild_database(settings.state, clock.wall(), log); !done) {
      return fail(done.error().sentence, kFailed);
    }
  }
  auto repository = gate::Repository::open(settings.state, log);
  if (!repository) return fail(repository.error().sentence, kFailed);
  const auto token = manage::operator_token((*repository)->folder.token_file());
  if (!token) return fail(token.error().sentence, kFailed);
  auto recovery = upkeep::recover(**repository, clock.wall(), log);
  if (!recovery) return fail(recovery.error().sentence, kFailed);
  const std::chrono::hours keep_partial(24 * settings.backups_keep_partial_days);
  auto gate = gate::Gate::open(**repository, clock, log, gate_config(settings));
  if (!gate) return fail(gate.error().sentence, kFailed);

  // Destroyed in reverse: servers, loops, then the pool, whose work uses the gate.
  upkeep::Verifier verifier(**gate);
  asio::thread_pool disk(kDiskThreads);
  asio::thread_pool slow(kSlowThreads);
  asio::thread_pool doors(kDoorThreads);
  asio::io_context main_loop(1);
  serve::tftp::Server tftp(disk, **gate, clock, log, tftp_config(settings));
  if (const auto bound = tftp.bind(); !bound) {
    return fail(bind_sentence("TFTP", Transport::kUdp, bound.error().where,
                              bound.error().error_number, "--tftp-listen"),
                kFailed);
  }
  serve::http::Server http(disk, slow, doors, **gate, clock, log, http_config(options));
  if (const auto bound = http.bind(); !bound) {
    return fail(bind_sentence("HTTP", Transport::kTcp, bound.error().where,
                              bound.error().error_number, "--http-listen") +
                    "; '--http-listen none' does without",
                kFailed);
  }
  std::vector<Listening> devices;
  for (const auto& where : tftp.listening()) devices.push_back({"tftp", where});
  for (const auto& where : http.listening()) devices.push_back({"http", where});
  for (const auto& where : http.listening_tls()) devices.push_back({"https", where});
  manage::Service service{**gate,
                          verifier,
                          settings.verify_rate,
                          clock,
                          VANTRO_VERSION,
                          clock.wall(),
                          {},
                          {},
                          own_addresses,
                          address_towards};
  manage::Server management(main_loop, disk, slow, service, log,
                            {settings.management_listen, *token});
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
  service.listeners.push_back({"management", management.listening().text(), false});
  (*gate)->record_event("server-start", "server",
                        fmt::format("vantrod {}", VANTRO_VERSION));

  tftp.start();
  http.start();
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

  asio::steady_timer sweep_timer(main_loop);
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
    sweep_timer.expires_after(kSweepInterval);
    sweep_timer.async_wait([&](const auto& error) {
      if (!error) sweep();
    });
  };
  sweep();

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
  std::atomic<int> to_drain = 2;
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
    offers_timer.cancel();
    management.stop();
    tftp.drain(grace, kStopping, drained);
    http.drain(grace, drained);
  });
  // Only now: whoever reads it may stop the server at once.
  say_where(options, **gate, devices, management.listening(), log);
  main_loop.run();

  tftp.stop();
  http.stop();
  drop_folder.reset();
  disk.join();
  slow.join();
  doors.join();
  verifier.stop();
  (*gate)->record_event("server-stop", "server", "");
  log.info("stopped");
  return kDone;
} catch (const std::exception& error) {
  return fail(error.what(), kFailed);
}
