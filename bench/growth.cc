#include "bench/growth.h"

#include <algorithm>
#include <fmt/format.h>
#include <functional>
#include <stdexcept>

#include "bench/history.h"
#include "repository/repository.h"
#include "text/version.h"

namespace vantro::bench {
namespace {

using db::Value;

constexpr std::int64_t kAtOnce = 100'000;
constexpr std::int64_t kHolders = 1000;

// Calls `add` with the first and last number of each part, in transactions of their own.
void in_parts(
    repository::Repository& repository, std::int64_t count,
    const std::function<void(db::Transaction&, std::int64_t, std::int64_t)>& add) {
  for (std::int64_t first = 1; first <= count; first += kAtOnce) {
    const auto last = std::min(count, first + kAtOnce - 1);
    const auto done = repository.database->write([&](db::Transaction& t) {
      add(t, first, last);
      return base::Outcome<void>();
    });
    if (!done) throw std::runtime_error(done.error().sentence);
  }
}

constexpr auto kNumbers =
    "with recursive n(k) as (select :f union all select k + 1 from n where k < :l) ";

void set_number(db::Transaction& t, const std::string& what, std::int64_t last) {
  t.run("update numbers set last = :l where what = :w", {last, what});
}

// As many as a maker has in some years; the table keeps them in their order.
void make_versions(db::Transaction& t) {
  t.run(
      "create table if not exists bench_versions (n bigint primary key, version text, "
      "sort_key text, line_key text)");
  for (std::int64_t i = 0; i < 100; ++i) {
    const auto version = fmt::format("{}.{}.{}", i / 30, i % 10, i % 7);
    const text::Version read(version);
    t.run("insert or ignore into bench_versions values (:n, :v, :s, :l)",
          {i, version, read.sort_key(), text::Version(read.line()).sort_key()});
  }
}

void add_images(db::Transaction& t, std::int64_t first, std::int64_t last) {
  make_versions(t);
  const std::vector<Value> part{first, last};
  const std::string from = std::string(kNumbers);
  t.run(
      "insert into images (id, name, size, md5, sha1, sha256, sha512, taken_in_at, "
      "taken_in_by, maker, platforms, role, version, version_key, stage, read_at) " +
          from +
          "select k, printf('platform%d-system-%d.img', k % 500, k), 3000, "
          "printf('%032x', k), printf('%040x', k), printf('%02x%062x', k % 256, k), "
          "printf('%0128x', k), 1790000000000 + k, 'bench', printf('Maker %d', k % 7), "
          "printf('platform%d', k % 500), 'system', v.version, v.sort_key, 'proven', :r "
          "from n join bench_versions v on v.n = k / 500 % 100",
      {first, last, base::SystemClock{}.wall()});
  t.run(
      "insert into image_platforms (image, platform, role, line_key, version_key, "
      "withdrawn, maker) " +
          from +
          "select k, printf('platform%d', k % 500), 'system', v.line_key, v.sort_key, 0, "
          "printf('maker %d', k % 7) "
          "from n join bench_versions v on v.n = k / 500 % 100",
      part);
  t.run("insert into image_names (name, image, since) " + from +
            "select printf('platform%d-system-%d.img', k % 500, k), k, 1790000000000 + k "
            "from n",
        part);
  t.run("insert into offers (id, name, image, network, protocols, since, why) " + from +
            "select k, printf('platform%d-system-%d.img', k % 500, k), k, '', '', "
            "1790000000000 + k, '' from n",
        part);
  set_number(t, "images", last);
  set_number(t, "offers", last);
}

void mark_newest(repository::Repository& repository) {
  in_parts(repository, 1, [](db::Transaction& t, std::int64_t, std::int64_t) {
    t.run(
        "update image_platforms set newest = 1 where (platform, role, line_key, "
        "version_key) in (select platform, role, line_key, max(version_key) from "
        "image_platforms group by platform, role, line_key)");
    t.run("drop table bench_versions");
  });
}

void add_offers(db::Transaction& t, std::int64_t first, std::int64_t last) {
  t.run(std::string(
            "insert into offers (id, name, image, network, protocols, since, why) ") +
            kNumbers +
            "select k, printf('site%d/offer-%d.img', k % 500, k), 1, '', '', "
            "1790000000000 + k, '' from n",
        {first, last});
  set_number(t, "offers", last);
}

void add_devices(db::Transaction& t, std::int64_t first, std::int64_t last) {
  const std::string from = kNumbers;
  t.run(
      "insert into devices (id, name, folded, link_address, maker, platform, hardware, "
      "site, remarks, made_at, changed_at) " +
          from +
          "select k, printf('device-%07d', k), printf('device-%07d', k), '', '', "
          "printf('platform%d', k % 500), '', printf('site %d', k / 50), '', "
          "1790000000000, 1790000000000 from n",
      {first, last});
  t.run(
      "insert into device_networks (network, device) " + from +
          "select printf('10.%d.%d.%d/32', k / 65536, k / 256 % 256, k % 256), k from n",
      {first, last});
  set_number(t, "devices", last);
}

void add_revisions(db::Transaction& t, std::int64_t first, std::int64_t last,
                   std::int64_t count, base::WallTime now) {
  const auto each = std::max<std::int64_t>(1, count / kHolders);
  if (first == 1) {
    t.run(
        "insert into backup_files with recursive n(k) as (select 0 union all select k + "
        "1 from n where k < :l) select k + 1, k + 1, '', 'site.cfg', :e, :e, (k + 1) * "
        ":e, :e, :t, :t, 3000, 'configuration', 3000, 0 from n",
        {std::min(count, kHolders) - 1, each, now});
    set_number(t, "backup_files", std::min(count, kHolders));
  }
  t.run(
      std::string(
          "insert into revisions (id, file, number, address, complete, size, md5, sha1, "
          "sha256, sha512, arrived_at, protocol, account, why, whole, read_at, kind, "
          "is_text, changed, substance, last_seen_at, times_seen, pinned_why) ") +
          kNumbers +
          "select k, (k - 1) / :e + 1, (k - 1) % :e + 1, '192.0.2.1', 1, 3000, '', '', "
          "printf('%02x%062x', k % 256, k), '', :t + k, 'tftp', '', '', 1, :n, "
          "'configuration', 1, k > 1, '', :u + k, 1, '' from n where (k - 1) / :g < :h",
      {first, last, each, now - count, now, now - count, each, kHolders});
  set_number(t, "revisions", last);
}

void add_ledger_rows(db::Transaction& t, std::int64_t first, std::int64_t last,
                     std::int64_t count, base::WallTime now) {
  t.run(
      std::string(
          "insert into ledger (id, at, event, actor, protocol, name, sha256, bytes, "
          "total, duration_ms, resent, outcome, sentence, heard_on, account, device) ") +
          kNumbers +
          "select k, :t + k * 10, case when k % 20000 = 7 then 'image-add' when k % 10 < "
          "3 then 'deposit' else 'fetch' end, printf('10.0.%d.%d', k % 1000 / 256, k % "
          "1000 % 256), 'tftp', case when k % 10 < 3 then printf('site-%d.cfg', k % "
          "1000) "
          "else printf('platform%d-system-%d.img', k / 10 % 500, k % 4000) end, "
          "printf('%064x', k % 100000), 19274302, 19274302, 4200, 3, case when k % 10000 "
          "= "
          "5 then 'refused' when k % 20000 = 3 then 'failed' else 'complete' end, '', "
          "'192.0.2.10:69 on eth0', '', printf('device-%07d', k % 1000 + 1) from n",
      {first, last, now - count * 10});
  if (last < count) return;
  t.run(
      "insert into ledger_names select distinct lower(name) from ledger where true on "
      "conflict do nothing");
}

}  // namespace

std::string grown_image(std::int64_t number) {
  return fmt::format("platform{}-system-{}.img", number % 500, number);
}
std::string grown_offer(std::int64_t number) {
  return fmt::format("site{}/offer-{}.img", number % 500, number);
}
std::string grown_device(std::int64_t number) {
  return fmt::format("device-{:07}", number);
}

void make_grown(const std::string& state, Grows what, std::int64_t count) {
  const base::Log log;
  const base::SystemClock clock;
  auto opened = repository::Repository::open(state, clock, log);
  if (!opened) throw std::runtime_error(opened.error().sentence);
  auto& repository = **opened;
  const auto now = clock.wall();
  const auto stored = [&] { return store_one(repository, 3000); };
  switch (what) {
    case Grows::kImages:
      link_contents(state, stored(), 1, count);
      in_parts(repository, count, add_images);
      mark_newest(repository);
      break;
    case Grows::kOffers:
      link_contents(state, stored(), 1, 1);
      in_parts(repository, 1, add_images);
      mark_newest(repository);
      in_parts(repository, count, [](db::Transaction& t, auto first, auto last) {
        // The image's own offer is the first.
        if (last > 1) add_offers(t, std::max<std::int64_t>(2, first), last);
      });
      break;
    case Grows::kDevices:
      in_parts(repository, count, add_devices);
      break;
    case Grows::kRevisions:
      link_contents(state, stored(), 1, count);
      in_parts(repository, std::min(count, kHolders), add_devices);
      in_parts(repository, count, [&](db::Transaction& t, auto first, auto last) {
        add_revisions(t, first, last, count, now);
      });
      break;
    case Grows::kLedgerRows:
      in_parts(repository, std::min(count, kHolders), add_devices);
      in_parts(repository, count, [&](db::Transaction& t, auto first, auto last) {
        add_ledger_rows(t, first, last, count, now);
      });
      break;
  }
}

}  // namespace vantro::bench
