// How fast the server looks at many devices before a change: the readiness of 10,000
// devices of one platform, with backups, proofs and a ledger, beside reading their rows
// once from the same database; and the search of a route over 10,000 versions and 1,000
// rules, beside sorting those versions.
#include <CLI/CLI.hpp>
#include <algorithm>
#include <chrono>
#include <cstdio>
#include <filesystem>
#include <fmt/format.h>
#include <functional>
#include <random>
#include <stdexcept>
#include <string>
#include <unistd.h>
#include <vector>

#include "backup/backups.h"
#include "desk/planning.h"
#include "fleet/devices.h"
#include "gate/gate.h"
#include "jobs/route.h"
#include "repository/repository.h"
#include "text/version.h"

namespace {

using namespace vantro;

constexpr int kDevices = 10'000;
constexpr int kVersions = 10'000;
constexpr int kRules = 1'000;

template <class T>
T sound(base::Outcome<T> outcome) {
  if (!outcome) throw std::runtime_error(outcome.error().sentence);
  if constexpr (!std::is_void_v<T>) return std::move(*outcome);
}

double median_ms(int rounds, const std::function<void()>& work) {
  std::vector<double> times;
  for (int i = 0; i < rounds; ++i) {
    const auto began = std::chrono::steady_clock::now();
    work();
    times.push_back(std::chrono::duration<double, std::milli>(
                        std::chrono::steady_clock::now() - began)
                        .count());
  }
  std::sort(times.begin(), times.end());
  return times[times.size() / 2];
}

catalog::Image image_of(const char* version, int number) {
  catalog::Image image;
  image.name = fmt::format("system-{}.img", version);
  image.size = 30'000'000;
  const auto hex = fmt::format("{:064x}", number);
  image.digests = {hex.substr(32), hex.substr(24), hex, hex + hex};
  image.taken_in_by = "bench";
  image.facts.platforms = {"lattice24"};
  image.facts.role = "system";
  image.facts.version = version;
  image.facts.stage = "general";
  return image;
}

// Devices with two slots, a configuration and a proof each.
void fill(repository::Repository& repository) {
  const auto now = repository.clock.wall();
  const auto done =
      repository.database->write([&](db::Transaction& t) -> base::Outcome<void> {
        int number = 1;
        for (const auto* version : {"3.12.0", "4.0.1"}) {
          auto added = catalog::Catalog::add(t, image_of(version, number++));
          if (!added) return base::refuse(added.error());
          catalog::Offer offer;
          offer.name = added->image.name;
          offer.image = std::move(added->image);
          if (auto made = catalog::Offers::add(t, std::move(offer)); !made) {
            return base::refuse(made.error());
          }
        }
        jobs::Jobs::set_rules(
            t, jobs::parse_rules("platform,rule,to,needs\nlattice24,needs-version,>=4.0,"
                                 ">=3.12\n")
                   .value());
        return {};
      });
  sound(done);
  constexpr int kBatch = 500;
  for (int first = 0; first < kDevices; first += kBatch) {
    sound(repository.database->write([&](db::Transaction& t) -> base::Outcome<void> {
      for (int i = first; i < first + kBatch; ++i) {
        fleet::Device device;
        device.name = fmt::format("switch-{:05}", i);
        device.platform = "lattice24";
        device.hardware = "B";
        const auto address = base::Address::v4(0xc6120000 + static_cast<unsigned>(i));
        device.networks = {*base::Network::parse(address.text())};
        for (const auto& [field, item, value] :
             {std::tuple("running_version", "", "3.12.0"),
              {"slots", "A", "3.12.0"},
              {"slots", "B", "3.10.1"},
              {"running_slot", "", "A"},
              {"free", "flash", "64000000"}}) {
          device.state.set({"", field, item, value, now, "bench"});
        }
        auto added = fleet::Devices::add(t, std::move(device));
        if (!added) return base::refuse(added.error());
        backup::Revision revision;
        revision.holder = {added->id, added->name};
        revision.name = added->name + ".cfg";
        revision.address = address.text();
        revision.complete = true;
        revision.size = 30'000;
        const auto hex = fmt::format("{:064x}", 1'000'000 + i);
        revision.digests = {hex.substr(32), hex.substr(24), hex, hex + hex};
        revision.arrived_at = revision.last_seen_at = now - 60'000;
        revision.protocol = "ftp";
        revision.kind = backup::FileKind::kConfiguration;
        revision.text = true;
        backup::Backups::add(t, std::move(revision));
        ledger::Entry entry;
        entry.at = now - 60'000;
        entry.event = "fetch";
        entry.actor = address.text();
        entry.device = added->name;
        entry.protocol = "ftp";
        entry.name = "hello-1M";
        entry.bytes = 1 << 20;
        entry.duration_ms = 500;
        entry.outcome = "complete";
        ledger::Ledger::record(t, entry);
      }
      return {};
    }));
  }
}

void measure_readiness(int rounds) {
  const auto folder = std::filesystem::temp_directory_path() /
                      fmt::format("vantro-bench-jobs-{}", ::getpid());
  std::filesystem::remove_all(folder);
  {
    const base::SystemClock clock;
    auto repository =
        sound(repository::Repository::open(folder.string(), clock, base::Log(), {}, {}));
    fill(*repository);
    gate::Config config;
    // The devices' addresses are of no private network.
    config.rules.push_back(
        {*auth::Networks::parse("198.18.0.0/15"), {auth::Action::kFetch}, {}, false});
    const gate::Gate gate(*repository, clock, base::Log(), config);
    desk::Surroundings surroundings;
    surroundings.listening = [] {
      return std::vector<base::Listening>{
          {"ftp", *base::Endpoint::parse("192.0.2.10:21")},
          {"tftp", *base::Endpoint::parse("192.0.2.10:69")}};
    };
    const auto rows = median_ms(rounds, [&] {
      sound(repository->devices.all());
      sound(repository->backups.overview());
      sound(repository->ledger.canaries("", 0));
    });
    std::size_t stops = 0;
    const auto ready = median_ms(rounds, [&] {
      desk::Planning planning(*repository, gate, surroundings);
      sound(planning.expect_many());
      const auto aim = sound(planning.aim("system-4.0.1.img"));
      stops = 0;
      for (const auto& device : sound(repository->devices.all())) {
        const auto one = sound(planning.readiness(device, aim, {}));
        if (jobs::verdict_of(one.checks) == jobs::Verdict::kStop) ++stops;
      }
    });
    if (stops != 0) throw std::runtime_error("devices that should be ready are not");
    std::printf("%-56s %8.1f ms\n", "10,000 devices: their rows are read once", rows);
    std::printf("%-56s %8.1f ms  %5.2f  (of the reading; aim: 2000 ms)\n",
                "10,000 devices: readiness of all", ready, ready / rows);
  }
  std::filesystem::remove_all(folder);
}

void measure_route(int rounds) {
  std::mt19937 random(20261128);
  std::vector<jobs::Held> held;
  for (int i = 0; i < kVersions; ++i) {
    const auto version = fmt::format("{}.{}.{}", i / 400, i / 20 % 20, i % 20);
    held.push_back({"image-" + version, version, "system", version, {}, {}});
  }
  std::string table = "platform,rule,from,to,needs\n";
  const auto any = [&] { return held[random() % held.size()].version; };
  for (int i = 0; i < kRules; ++i) {
    // Each tenth line of versions needs the one before it, so that the way is long.
    if (i < 24) {
      table += fmt::format("c,needs-version,,>={}.0,>={}.19\n", i + 1, i);
    } else if (i % 2 == 0) {
      table += fmt::format("c,never,{},{},\n", any(), any());
    } else {
      const auto a = any();
      table += fmt::format("c,needs-version,,={},>=0.0.1\n", a);
    }
  }
  const auto rules = jobs::parse_rules(table).value();
  const auto sorting = median_ms(rounds, [&] {
    std::vector<std::string> keys;
    for (const auto& one : held) keys.push_back(text::Version(one.version).sort_key());
    std::sort(keys.begin(), keys.end());
  });
  jobs::Route route;
  const auto search = median_ms(rounds, [&] {
    route = jobs::find_route({"c", "system", "0.0.0", "24.19.19", "", {}, false}, held,
                             rules);
  });
  if (route.steps.size() < 20) throw std::runtime_error("the route is too short");
  std::printf("%-56s %8.1f ms\n", "10,000 versions are read and sorted", sorting);
  std::printf(
      "%-56s %8.1f ms  %5.2f  (of the sorting; aim: 50 ms)\n",
      fmt::format("a route of {} steps by 1,000 rules", route.steps.size()).c_str(),
      search, search / sorting);
}

}  // namespace

int main(int argc, char** argv) try {
  CLI::App app("Readiness and routes beside reading and sorting");
  int rounds = 5;
  app.add_option("--rounds", rounds, "how often each is measured");
  CLI11_PARSE(app, argc, argv);
  measure_route(rounds);
  measure_readiness(rounds);
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
