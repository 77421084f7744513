// How fast a large catalogue answers: 100,000 images in a real database, listed and
// filtered. Beside it, what the database needs to go through all of them once, which is
// the least for a filter without an index. Then how long it takes until devices see a
// change of one of 100,000 offers, beside the commit of that change; and how long it
// takes to find the name that a device meant, beside reading once what is known of all
// names.
#include <CLI/CLI.hpp>
#include <algorithm>
#include <chrono>
#include <cstdio>
#include <filesystem>
#include <fmt/format.h>
#include <functional>
#include <stdexcept>
#include <string>
#include <unistd.h>
#include <vector>

#include "api/catalogue.h"
#include "catalog/catalog.h"
#include "catalog/offers.h"
#include "db/database.h"
#include "repository/snapshots.h"

namespace {

using namespace vantro;

constexpr int kImages = 100'000;
constexpr int kPlatforms = 500;

void fill(db::Database& database) {
  constexpr int kBatch = 5'000;
  constexpr const char* kRoles[] = {"system", "boot", "module", "recovery"};
  for (int first = 0; first < kImages; first += kBatch) {
    const auto done = database.write([&](db::Transaction& t) -> base::Outcome<void> {
      for (int i = first; i < first + kBatch; ++i) {
        catalog::Image image;
        image.facts.maker = fmt::format("Maker {}", i % 7);
        image.facts.platforms = {fmt::format("platform{}", i % kPlatforms)};
        image.facts.role = kRoles[i / kPlatforms % 4];
        image.facts.version = fmt::format("{}.{}.{}({})E{}", i / kPlatforms % 9,
                                          i / kPlatforms % 5, i % 13, i % 17, i % 3);
        image.facts.stage = i % 3 == 0 ? "general" : "early";
        image.facts.remarks = "needs the boot loader of the same line or a newer one";
        image.name =
            fmt::format("platform{}-{}-{}.img", i % kPlatforms, image.facts.role, i);
        image.size = 20'000'000 + static_cast<std::uint64_t>(i);
        const auto hex = fmt::format("{:064x}", i);
        image.digests = {hex.substr(32), hex.substr(24), hex, hex + hex};
        image.taken_in_by = "bench";
        auto added = catalog::Catalog::add(t, std::move(image));
        if (!added) return base::refuse(added.error());
        catalog::Offer offer;
        offer.name = added->image.name;
        offer.image = std::move(added->image);
        if (auto made = catalog::Offers::add(t, std::move(offer)); !made) {
          return base::refuse(made.error());
        }
      }
      return {};
    });
    if (!done) throw std::runtime_error(done.error().sentence);
  }
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

void measure_publishing(db::Database& database, int rounds) {
  repository::Snapshots snapshots(database, base::Log(), false);
  const auto follow = [&] {
    if (auto done = snapshots.follow(); !done) {
      throw std::runtime_error(done.error().sentence);
    }
  };
  const auto all = median_ms(1, follow);
  std::printf("%-52s %8.1f ms\n", "all offers are read, at the start", all);
  std::vector<double> commits;
  std::vector<double> published;
  for (int i = 0; i < rounds; ++i) {
    commits.push_back(median_ms(1, [&] {
      const auto done = database.write([&](db::Transaction& t) -> base::Outcome<void> {
        const auto offer =
            catalog::Offers::find(t, fmt::format("platform{}-system-{}.img", i, i), {});
        if (!offer) return base::refuse(offer.error());
        catalog::Offers::end(t, *offer, "ended", 1);
        return {};
      });
      if (!done) throw std::runtime_error(done.error().sentence);
    }));
    published.push_back(median_ms(1, follow));
    if (snapshots.get()->offers->size() != static_cast<std::size_t>(kImages - i - 1)) {
      throw std::runtime_error("the change is not in the snapshot");
    }
  }
  std::sort(commits.begin(), commits.end());
  std::sort(published.begin(), published.end());
  const auto commit = commits[commits.size() / 2];
  const auto publish = published[published.size() / 2];
  std::printf("%-52s %8.1f ms\n", "an offer ends: the commit", commit);
  std::printf("%-52s %8.1f ms  %5.2f  (of the commit; aim: 5 ms)\n",
              "an offer ends: until devices see it", publish, publish / commit);
}

// As a device may ask: with a slip, for another folder, and for what nobody has.
void measure_nearest(db::Database& database, int rounds) {
  repository::Snapshots snapshots(database, base::Log(), false);
  if (auto done = snapshots.follow(); !done) {
    throw std::runtime_error(done.error().sentence);
  }
  const auto offers = snapshots.get()->offers;
  // What the search reads of each name, one after the other in memory.
  std::vector<std::pair<text::NamePairs, const std::string*>> all;
  const std::string any;
  for (int i = 0; i < kImages; ++i) {
    all.emplace_back(text::NamePairs::of(fmt::format("name {}", i)), &any);
  }
  std::uint64_t sum = 0;
  const auto limit = median_ms(rounds, [&] {
    for (const auto& [pairs, name] : all) sum += pairs.bits[0] ^ pairs.bits[1];
  });
  std::printf("%-52s %8.2f ms\n", "what is known of all names is read once", limit);
  if (sum == 1) std::printf("\n");  // so that it is not left out
  const catalog::Asking asking{*base::Address::parse("192.0.2.7"), "tftp", 1};
  for (const std::string& name :
       {std::string("platform77-sytsem-4077.img"),
        std::string("images/platform499-boot-99999.img"),
        std::string("startup-config-of-a-device"), std::string(255, 'x')}) {
    const auto took = median_ms(rounds, [&] { (void)offers->nearest(name, asking); });
    std::printf("%-52s %8.2f ms  %5.2f  (aim: 1 ms) -> %s\n",
                fmt::format("nearest to '{:.36}'", name).c_str(), took, took / limit,
                offers->nearest(name, asking).value_or("none").c_str());
  }
}

}  // namespace

int main(int argc, char** argv) try {
  CLI::App app{"how fast a catalogue of 100,000 images answers"};
  int rounds = 7;
  app.add_option("--rounds", rounds, "measurements of each")->check(CLI::Range(1, 100));
  CLI11_PARSE(app, argc, argv);
  std::string folder =
      (std::filesystem::temp_directory_path() / "vantro-bench-XXXXXX").string();
  if (::mkdtemp(folder.data()) == nullptr) throw std::runtime_error(folder);
  auto database = db::Database::open(folder + "/vantro.db");
  if (!database) throw std::runtime_error(database.error().sentence);
  fill(**database);
  const catalog::Catalog catalog(**database);
  const auto scan = median_ms(rounds, [&] {
    const auto sum = (*database)->read([](db::Transaction& t) -> base::Outcome<int> {
      t.query(
          "select sum(size), count(distinct stage) from images i join "
          "image_platforms p on p.image = i.id");
      return 0;
    });
    if (!sum) throw std::runtime_error(sum.error().sentence);
  });
  std::printf("%-52s %8.1f ms\n", "the database goes through all of them once", scan);
  const auto names =
      (*database)->read([](db::Transaction& t) -> base::Outcome<catalog::ImageNames> {
        return catalog::ImageNames::read(t);
      });
  if (!names) throw std::runtime_error(names.error().sentence);
  const auto line = [&](const char* what, catalog::Filter filter,
                        const std::string& part_of_name = "") {
    std::size_t rows = 0;
    std::string in_all;
    const auto took = median_ms(rounds, [&] {
      if (!part_of_name.empty()) filter.named = names->containing(part_of_name);
      const auto listing = catalog.list(filter);
      if (!listing) throw std::runtime_error(listing.error().sentence);
      rows = listing->images.size();
      in_all = std::to_string(listing->in_all) + (listing->and_more ? " and more" : "");
    });
    std::printf("%-52s %8.1f ms  %5.2f  (%zu of %s rows)\n", what, took, took / scan,
                rows, in_all.c_str());
  };
  catalog::Filter all;
  line("list the first 1000", all);
  catalog::Filter platform;
  platform.facts = {{"platform", "platform77"}};
  line("of one platform", platform);
  catalog::Filter newest;
  newest.newest_only = true;
  line("the newest of each line, first 1000", newest);
  catalog::Filter version;
  version.facts = {{"version", ">=7.2"}, {"role", "system"}, {"stage", "general"}};
  line("system images from 7.2 up, general", version);
  line("a part of a name", catalog::Filter{}, "platform499-boot-99");
  catalog::Filter every;
  every.most = 200'000;
  line("all of them, every fact", every);
  measure_nearest(**database, rounds);
  measure_publishing(**database, rounds);
  database->reset();
  std::filesystem::remove_all(folder);
} catch (const std::exception& error) {
  std::fprintf(stderr, "vantro-bench-catalogue: %s\n", error.what());
  return 1;
}
