#include "bench/history.h"

#include <cerrno>
#include <chrono>
#include <cstring>
#include <filesystem>
#include <fmt/format.h>
#include <stdexcept>
#include <unistd.h>

#include "repository/repository.h"

namespace vantro::bench {
namespace {

constexpr base::WallTime kDay = 86'400'000;
// ext4 takes 65,000 links of one file.
constexpr int kLinksOfOne = 60'000;
constexpr int kRowsAtOnce = 100'000;

void must(const base::Outcome<void>& done) {
  if (!done) throw std::runtime_error(done.error().sentence);
}

std::string vault_path(const std::string& state, const std::string& name) {
  return state + "/vault/" + name.substr(0, 2) + "/" + name;
}

// As SHA-256s are spread over the shelves.
std::string content_name(std::int64_t number) {
  return fmt::format("{:02x}{:062x}", number % 256, number);
}

void add_device(db::Transaction& t, int number, const History& history,
                const std::string& stored, base::WallTime now) {
  fleet::Device device;
  device.name = fmt::format("device-{:05}", number);
  device.site = fmt::format("site {}", number / 50);
  device.backup_every = kDay;
  device.made_at = now - 200 * kDay;
  const auto added = fleet::Devices::add(t, device);
  if (!added) throw std::runtime_error(added.error().sentence);
  const std::int64_t file = added->id;
  const std::int64_t count = history.revisions_of_each;
  const auto first_id = file * count;
  const auto oldest = now - count * kDay;
  t.run(
      "insert into backup_files values (:i, :d, '', 'site.cfg', :l, :c, :n, :m, :a, :b, "
      ":s, 'configuration', :z, 0)",
      {file, added->id, count, count, first_id + count - 1, count, now - kDay, now - kDay,
       std::int64_t{history.size}, std::int64_t{history.size}});
  t.run(
      "insert into revisions (id, file, number, address, complete, size, md5, sha1, "
      "sha256, sha512, arrived_at, protocol, account, why, whole, read_at, kind, "
      "is_text, changed, substance, last_seen_at, times_seen, pinned_why) with recursive "
      "n(k) as (select 0 union all select k + 1 from n where k < :c) select :i + k, :f, "
      "k + 1, '192.0.2.1', 1, :z, '', '', case when :o = 1 then printf('%02x%062x', "
      "(:j + k) % 256, :l + k) else :s end, '', :t + k * 86400000, 'tftp', '', '', 1, "
      ":r, "
      "'configuration', 1, k > 0, '', :u + k * 86400000, 1, '' from n",
      {count - 1, first_id, file, std::int64_t{history.size},
       std::int64_t{history.own_contents ? 1 : 0}, first_id, first_id, stored, oldest,
       now, oldest});
}

// Each device's in turn, up to now: fetches of a hundred thousand files.
void add_ledger_rows(db::Transaction& t, std::int64_t first, const History& history,
                     base::WallTime now) {
  t.run(
      "insert into ledger (id, at, event, actor, protocol, name, sha256, bytes, total, "
      "duration_ms, resent, outcome, sentence, heard_on, account, device) with recursive "
      "n(k) as (select :f union all select k + 1 from n where k < :l) select k, :t + k * "
      "1000, 'fetch', printf('127.%d.%d.1', 20 + k % :d / 250, k % :e % 250), 'tftp', "
      "'causeway4-system-7.6.0.img', printf('%064x', k % 100000), 19274302, 19274302, "
      "4200, 3, 'complete', '', '192.0.2.10:69 on eth0', '', printf('device-%05d', k % "
      ":g) from n",
      {first, first + kRowsAtOnce - 1, now - std::int64_t{history.ledger_rows} * 1000,
       std::int64_t{history.devices}, std::int64_t{history.devices},
       std::int64_t{history.devices}});
}

}  // namespace

void link_contents(const std::string& state, const std::string& stored,
                   std::int64_t first, std::int64_t count) {
  for (int shelf = 0; shelf < 256; ++shelf) {
    std::filesystem::create_directories(fmt::format("{}/vault/{:02x}", state, shelf));
  }
  std::string from;
  for (std::int64_t i = first; i < first + count; ++i) {
    const auto to = vault_path(state, content_name(i));
    if ((i - first) % kLinksOfOne == 0) {
      std::filesystem::copy_file(vault_path(state, stored), to);
      from = to;
    } else if (::link(from.c_str(), to.c_str()) != 0) {
      throw std::runtime_error("link: " + std::string(std::strerror(errno)));
    }
  }
}

std::string store_one(repository::Repository& repository, int size) {
  auto arrival = repository.folder.arrive({"backup", "192.0.2.1", "site.cfg"}, 0, 0);
  const std::string bytes(static_cast<std::size_t>(size), 'c');
  if (!arrival || !arrival->write(base::as_bytes(bytes))) {
    throw std::runtime_error("the bytes can't be written");
  }
  const auto digests = arrival->seal();
  if (!digests || !arrival->keep()) throw std::runtime_error("they can't be kept");
  return digests->sha256;
}

std::string address_of_device(int device) {
  return fmt::format("127.{}.{}.1", 20 + device / 250, device % 250);
}

double make_history(const std::string& state, const History& history) {
  const base::Log log;
  const base::SystemClock clock;
  auto opened = repository::Repository::open(state, clock, log);
  if (!opened) throw std::runtime_error(opened.error().sentence);
  auto& repository = **opened;
  const auto stored = store_one(repository, history.size);
  const auto now = base::SystemClock{}.wall();
  const auto write = [&](const std::function<void(db::Transaction&)>& work) {
    must(repository.database->write([&](db::Transaction& t) {
      work(t);
      return base::Outcome<void>();
    }));
  };
  // Else most pages of the indexes are written many times.
  write([](auto& t) { t.run("pragma cache_size = -800000"); });
  for (int first = 0; first < history.devices; first += 100) {
    write([&](auto& t) {
      for (int i = first; i < first + 100; ++i) {
        add_device(t, i, history, stored, now);
      }
    });
  }
  if (history.own_contents) {
    // Devices are numbered from 1.
    link_contents(state, stored, history.revisions_of_each,
                  std::int64_t{history.devices} * history.revisions_of_each);
  }
  for (int first = 0; first < history.ledger_rows; first += kRowsAtOnce) {
    write([&](auto& t) { add_ledger_rows(t, first + 1, history, now); });
  }
  if (history.ledger_rows > 0) {
    write([](auto& t) {
      t.run(
          "insert into last_contacts select actor, max(id), max(at) from ledger group by "
          "actor");
    });
  }
  write([](auto& t) {
    for (const auto* table : {"backup_files", "revisions"}) {
      t.run(
          fmt::format("update numbers set last = (select max(id) from {0}) where what = "
                      "'{0}'",
                      table));
    }
  });
  const auto begin = std::chrono::steady_clock::now();
  const auto scanned = repository.database->read([](db::Transaction& t) {
    return base::Outcome<db::Rows>(
        t.query("select sum(size), sum(seen_at) from backup_files"));
  });
  if (!scanned) throw std::runtime_error(scanned.error().sentence);
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
}

}  // namespace vantro::bench
