// vantrod: the server. main() reads as the order in which things happen.
#include <atomic>
#include <boost/asio/io_context.hpp>
#include <csignal>
#include <fmt/format.h>
#include <memory>
#include <sys/stat.h>
#include <unistd.h>

#include "base/clock.h"
#include "daemon/announcement.h"
#include "daemon/certificates.h"
#include "daemon/command_line.h"
#include "daemon/configs.h"
#include "daemon/confinement.h"
#include "daemon/database_place.h"
#include "daemon/first_people.h"
#include "daemon/fronts.h"
#include "daemon/housekeeping.h"
#include "daemon/in_force.h"
#include "daemon/joining.h"
#include "daemon/journal.h"
#include "daemon/look_program.h"
#include "daemon/management.h"
#include "daemon/mirror_config.h"
#include "daemon/node_name.h"
#include "daemon/notice_way.h"
#include "daemon/other_user.h"
#include "daemon/pools.h"
#include "daemon/port_holder.h"
#include "daemon/process_limits.h"
#include "daemon/reload.h"
#include "daemon/rescue_hands.h"
#include "daemon/rescue_only.h"
#include "daemon/restore_state.h"
#include "daemon/schedules.h"
#include "daemon/service_manager.h"
#include "daemon/until_signalled.h"
#include "db/copy.h"
#include "desk/load.h"
#include "desk/notices.h"
#include "desk/rescues.h"
#include "desk/uploads.h"
#include "desk/watched.h"
#include "gate/boards.h"
#include "gate/gate.h"
#include "mirror/headquarters.h"
#include "mirror/incoming.h"
#include "repository/repository.h"
#include "upkeep/deposit_looks.h"
#include "upkeep/drop_folder.h"
#include "upkeep/kept_uploads.h"
#include "upkeep/late_digests.h"
#include "upkeep/membership.h"
#include "upkeep/recovery.h"
#include "upkeep/resealer.h"
#include "upkeep/snapshot.h"
#include "upkeep/vault_comparison.h"
#include "upkeep/verify.h"
#include "uplink/mirror_run.h"

using namespace vantro;
using namespace vantro::daemon;

namespace {

constexpr std::chrono::milliseconds kRescueInterval{500};
constexpr std::chrono::seconds kStatusInterval{10};
constexpr std::chrono::seconds kLooksForFallen{3};
constexpr std::chrono::milliseconds kShowsBoards{250};
constexpr std::chrono::seconds kComparesLocks{60};
// Migrating a large database to a newer version may take this long.
constexpr std::chrono::minutes kCountInterval{1};
constexpr std::chrono::seconds kStartTime{600};
constexpr std::chrono::seconds kGoodbyeTime{60};

// For the ledger, which several nodes write; empty: there is one.
std::string node_words(const repository::Repository& repository) {
  return repository.nodes.alone() ? "" : "node '" + repository.nodes.self().name + "'";
}

}  // namespace

int main(int argc, char** argv) try {
  Options options;
  if (const auto code = read_options(argc, argv, VANTRO_VERSION, options)) return *code;
  const auto& settings = options.settings;
  LiveSettings live;
  live.set(std::make_shared<const Settings>(settings));
  ::umask(0077);
  ::signal(SIGPIPE, SIG_IGN);
  raise_descriptor_limit();
  keep_memory_private();
  keep_memory_small();
  const base::Log log = make_log(options.settings.log);
  const base::SystemClock clock;

  const auto look_program = LookProgram::find();
  if (!look_program.trouble().empty()) log.warning(look_program.trouble());

  // Restricts the process from here on: before there is another thread.
  if (!settings.process.user.empty()) {
    auto done = become(settings.process.user, settings.state, !settings.rescues.empty());
    if (!done) return fail(done.error().sentence, kFailed);
  }
  if (!options.restore.empty()) return restore_state(options.restore, settings.state);
  if (!options.move_database.empty()) {
    return move_database(settings, options.move_database, log);
  }
  const auto database = database_place(settings.database);
  if (!database) return fail(database.error().sentence, kUsage);
  Confined confined{false, false, "it is switched off (process.confine)"};
  if (settings.process.confine) {
    note_port_holders(all_listeners(settings));
    auto places = places_of(settings, options.config);
    places.run.push_back(look_program.path());
    for (const auto& one : {options.rescue.image, options.rescue.text}) {
      if (!one.empty()) places.read.push_back(one);
    }
    confined = confine(places);
  }
  ServiceManager::more_time(kStartTime);

  // Opens the state, and clears up after a crash.
  if (options.recover_database) {
    const auto now = clock.wall();
    auto done =
        upkeep::rebuild_database(settings.state, *database, options.keys, now, log);
    if (!done) return fail(done.error().sentence, kFailed);
  }
  auto opened = open_state(settings, *database, options.accept_older_database,
                           VANTRO_VERSION, clock, log);
  if (!opened) return fail(opened.error().sentence, kFailed);
  auto& repository = **opened;
  repository.folder.use_keys(options.keys);
  if (auto made = people_of_token_files(repository); !made) {
    return fail(made.error().sentence, kFailed);
  }
  const NodeStay stay(repository);
  // From here on the others see that it lives.
  upkeep::Membership membership(repository.nodes, log);
  membership.start([] { ::kill(::getpid(), SIGTERM); });
  const auto recovered = upkeep::clear_up(repository, clock.wall(), log);
  if (!recovered) return fail(recovered.error().sentence, kFailed);

  // Everything that can fail comes before the first listener answers. Destruction is in
  // reverse: fronts, then the pools, whose work uses the gate.
  gate::Gate gate(repository, clock, log, gate_config(settings, look_program.path()));
  std::unique_ptr<uplink::MirrorRun> mirror;
  if (!settings.mirror.of.empty()) {
    auto config = mirror_config(settings.mirror, VANTRO_VERSION);
    if (!config) return fail(config.error().sentence, kUsage);
    auto run = uplink::MirrorRun::open(repository, clock, log, std::move(*config));
    if (!run) return fail(run.error().sentence, kFailed);
    mirror = std::move(*run);
    gate.is_mirror(mirror->as_mirror());
  }
  mirror::Headquarters headquarters(repository);
  mirror::Incoming incoming(repository, gate);
  upkeep::Verifier verifier(repository);
  upkeep::Resealer resealer(repository);
  upkeep::VaultComparison vault_comparison(repository, log);
  upkeep::DepositLooks deposit_looks(repository, gate);
  upkeep::LateDigests late_digests(repository);
  upkeep::KeptUploads kept_uploads(repository, gate);
  Pools pools(log);
  boost::asio::io_context main_loop(1);
  const auto created = serve::ssh::Server::create(
      repository.folder.path() + "/ssh", ssh_config(settings, VANTRO_VERSION), log);
  if (!created) return fail(created.error().sentence, kFailed);
  const auto& ssh = *created;
  net::ConnectionRoom device_room(static_cast<std::size_t>(settings.limits.connections));
  net::ConnectionRoom management_room(kMostManagementConnections);
  auto management = Management::prepare(settings, log);
  if (!management) return fail(management.error().sentence, kFailed);
  manage::Door door(repository, gate.log_ins().mistakes(), door_config(settings));
  manage::Service service{repository, gate,           verifier,
                          clock,      VANTRO_VERSION, clock.wall()};
  service.door = &door;
  service.headquarters = &headquarters;
  service.incoming = &incoming;
  if (mirror) {
    service.mirror = {[&] { return settings.mirror.of; }, [&] { return mirror->state(); },
                      [&] { mirror->sync(); }};
  }
  service.sheets = [&] { return live.get()->sheets; };
  service.verify_rate = [&] { return live.get()->verify.rate; };
  service.surroundings.own_addresses = own_addresses;
  service.surroundings.address_towards = address_towards;
  service.resealer = &resealer;
  service.management_trouble = [&] {
    auto sentences = (*management)->trouble();
    for (const auto& one : {ssh->trouble(), look_program.trouble()}) {
      if (!one.empty()) sentences.push_back(one);
    }
    for (auto& one : certificates_trouble(settings, clock.wall())) {
      sentences.push_back(std::move(one));
    }
    return sentences;
  };
  service.ssh = [&] {
    return live.get()->ssh.listen.empty() ? api::Ssh() : ssh_status(*ssh);
  };
  const serve::Services services{
      {pools.disk, clock, log, device_room}, pools.slow, pools.doors, pools.filing, gate};
  auto fronts = make_fronts(options, VANTRO_VERSION, services, ssh);
  if (auto bound = daemon::bind(fronts, settings); !bound)
    return fail(bound.error().sentence, kFailed);
  service.surroundings.listening = [&] { return listening(fronts); };
  WireHands hands(services, live, service.surroundings.listening);
  desk::Rescues rescues(repository, gate, hands, [&] { return live.get()->rescues; });
  rescues.end_left_over();
  service.rescues = &rescues;
  desk::Uploads uploads(gate, clock);
  service.uploads = &uploads;
  desk::Load load(repository, gate);
  service.load = &load;
  service.settings = [&] { return in_force(options.config, settings, *live.get()); };
  upkeep::Snapshots snapshots(repository);
  service.snapshots = &snapshots;
  service.snapshot_folder = [&] { return settings.snapshot.folder; };
  service.metrics_open_to = [&](const base::Address& address) {
    return live.get()->metrics.open_to.contains(address);
  };
  service.certificates = [&] { return certificate_ends(settings); };
  service.pools = [&] { return pools.loads(); };
  desk::Watched conditions(repository, gate,
                           {[&] { return certificates_expiring(settings, clock.wall()); },
                            [&] { return live.get()->backups.reserve; }});
  desk::Notices notices(
      repository, conditions, [&] { return live.get()->notices; }, send_notice);
  service.notices = &notices;
  service.hands = &hands;
  fronts.push_back((*management)
                       ->listen({pools.desk, clock, log, management_room},
                                {pools.slow, pools.doors}, service));
  service.fronts = [&] { return front_states(fronts); };
  service.management = [&] { return (*management)->listeners(); };
  std::unique_ptr<upkeep::DropFolder> drop_folder;
  if (!settings.drop.folder.empty()) {
    auto watched = upkeep::DropFolder::watch(
        repository, gate, log,
        {settings.drop.folder, std::chrono::seconds(settings.drop.settle_s)});
    if (!watched) return fail(watched.error().sentence, kFailed);
    drop_folder = std::move(*watched);
  }
  vault_comparison.start();
  resealer.start();
  deposit_looks.start();
  late_digests.start();
  kept_uploads.start();

  Reload reload(options, (*management)->tls(), fronts, device_room, live, gate,
                repository, log);
  service.reload = [&](bool dry_run, const repository::By& by) {
    if (dry_run) return reload.run(true, by);
    ServiceManager::reloading();
    auto done = reload.run(false, by);
    ServiceManager::ready(status_line(gate, repository));
    return done;
  };

  // From here on nothing fails.
  if (!confined.files || !confined.calls) {
    log.warning("vantrod is not fully confined", {{"why", confined.why}});
  }
  if (::geteuid() == 0 && options.rescue.interface.empty()) {
    log.warning(
        "vantrod runs as root, but needs root for ports below 1024 only; start it with "
        "--user NAME, or as a service");
  }
  repository.record_event(
      "server-start", "server",
      fmt::format("vantrod {}{}{}", VANTRO_VERSION, repository.nodes.alone() ? "" : "; ",
                  node_words(repository)));
  for (const auto& one : fronts) one.front->start();
  if (drop_folder) drop_folder->start();
  if (mirror) mirror->start();
  std::atomic<bool> shutting = false;
  Schedules schedules(main_loop);
  schedule_housekeeping(schedules, pools, live, repository, gate, verifier);
  if (!repository.nodes.alone()) {
    schedules.every(kComparesLocks, pools.slow,
                    [&] { upkeep::compare_locks(repository); });
    schedules.every(kShowsBoards, pools.slow, [&] { gate.boards().tick(); });
    schedules.every(kLooksForFallen, pools.slow, [&] {
      upkeep::look_for_fallen(repository, gate, [&](const std::string& node) {
        return rescues.end_of_node(node);
      });
    });
  }
  if (repository.database->unchecked()) {
    pools.slow.post([&] {
      const auto sound =
          db::check_database(repository.folder.database(), [&] { return !shutting; });
      if (sound || sound.error().kind == base::Kind::kBusy) return;
      log.error(sound.error().sentence);
      repository.troubles.set(
          "database", {sound.error().sentence +
                       "; stop the server and restore a snapshot (vantrod --restore)"});
    });
  }
  // Also while it waits for the last transfers.
  Schedules until_the_end(main_loop);
  if (const auto watch = ServiceManager::watch_interval()) {
    until_the_end.every(*watch / 3, pools.disk, ServiceManager::alive);
  }
  until_the_end.every(desk::Notices::kLooksEvery, pools.notices, [&] {
    notices.look();
    notices.deliver();
  });
  until_the_end.every(kStatusInterval, pools.disk, [&] {
    if (!gate.drain().view()) ServiceManager::status(status_line(gate, repository));
  });
  const auto shut = [&] {
    shutting = true;
    for (const auto& one : fronts) one.front->stop();
    until_the_end.stop();
    drop_folder.reset();
    if (mirror) mirror->stop();
    hands.stop();
    snapshots.give_up();
    gate.stop_verifying_first();
    repository.missing_digests.give_up();
    pools.join();
    verifier.stop();
    repository.record_event("server-stop", "server", node_words(repository));
    remove_in_force(own_state(settings));
  };
  RescueOnly rescue_only(options.rescue, rescues, gate);
  const bool only_rescue = !options.rescue.interface.empty();
  if (only_rescue) {
    if (const auto begun = rescue_only.open(); !begun) {
      shut();
      return fail(base::in_full(begun.error()), kFailed);
    }
  }
  if (repository.database->shared()) {
    schedules.every(kCountInterval, pools.slow, [&] {
      // Why not is in the status already.
      static_cast<void>(manage::count(service));
    });
  }
  schedules.every(desk::Load::kInterval, pools.disk, [&] {
    load.sample();
    uploads.tick();
  });
  schedules.every(kRescueInterval, pools.rescue, [&] {
    rescues.tick();
    if (only_rescue && !rescue_only.follow()) ::kill(::getpid(), SIGTERM);
  });
  if (auto saved = save_in_force(own_state(settings), settings.given); !saved) {
    log.warning(saved.error().sentence);
  }
  Signals on;
  on.ready = [&] {
    say_where(options, VANTRO_VERSION, repository, listening(fronts),
              settings.ssh.listen.empty() ? nullptr : ssh.get(), **management, log);
    ServiceManager::ready(status_line(gate, repository));
  };
  on.reload = [&] {
    static_cast<void>(service.reload(false, "server"));  // the log says it
  };
  on.grace = [&] { return std::chrono::seconds(live.get()->stop.grace_s); };
  on.drain = [&](std::chrono::seconds grace) {
    gate.begin_drain(grace, true, "");
    ServiceManager::stopping("stopping");
    ServiceManager::more_time(grace + kGoodbyeTime);
  };
  on.idle = [&] { return gate.idle(); };
  on.waiting = [&](base::WallTime until) { say_waiting(gate, until, log); };
  on.stopping = [&] { rescues.end_all("the server was stopped"); };
  run_until_signalled(main_loop, on, fronts, schedules, gate, log);

  shut();
  rescue_only.say_end();
  log.info("stopped");
  if (!(*management)->incomplete()) return kDone;
  return fail("stopped; " + (*management)->trouble().front(), kIncomplete);
} catch (const std::exception& error) {
  return fail(error.what(), kFailed);
}
