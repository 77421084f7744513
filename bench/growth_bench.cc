// How the usual operations, the start and the memory change as a server's contents grow.
//
//   vantro-bench-growth [--only LETTERS] [--most N] [--rounds N]
//   vantro-bench-growth --make FOLDER [--only LETTER] [--most N]   only the state folder
//   vantro-bench-growth --postgresql [...]                         the records are there
//
//   i  images, each on offer              o  offers of one image
//   d  devices                            r  revisions of 1,000 devices
//   l  rows of the ledger, to 10 times N  t  concurrent transfers, to a hundredth of N
//
// Each is made in powers of ten, from 100 (images, offers, devices, revisions), 10,000
// (rows) or 10 (transfers) on. The real vantrod is started on each; its operations are
// called over its own sockets, one after the other, `rounds` times. Told are the medians,
// as lines for scripts/growth.
#include <CLI/CLI.hpp>
#include <arpa/inet.h>
#include <chrono>
#include <cstdio>
#include <curl/curl.h>
#include <fmt/format.h>
#include <functional>
#include <map>
#include <memory>
#include <netinet/in.h>
#include <stdexcept>
#include <string>
#include <sys/resource.h>
#include <sys/socket.h>
#include <unistd.h>
#include <vector>

#include "base/clock.h"
#include "base/unique_fd.h"
#include "bench/growth.h"
#include "bench/own_disk.h"
#include "bench/real_server.h"
#include "tests/end_to_end/depositors.h"
#include "tests/end_to_end/postgresql_server.h"

namespace vantro::bench {
namespace {

using Clock = std::chrono::steady_clock;

// One connection that stays open, as a program of people has.
class Caller {
 public:
  explicit Caller(const std::string& socket = "") : curl_(::curl_easy_init()) {
    if (!socket.empty()) {
      ::curl_easy_setopt(curl_, CURLOPT_UNIX_SOCKET_PATH, socket.c_str());
    }
    ::curl_easy_setopt(curl_, CURLOPT_WRITEFUNCTION, &Caller::take);
    ::curl_easy_setopt(curl_, CURLOPT_TIMEOUT, 120L);
  }
  ~Caller() { ::curl_easy_cleanup(curl_); }
  Caller(const Caller&) = delete;
  Caller& operator=(const Caller&) = delete;

  // Milliseconds. Throws if the answer has another status than one of the two.
  double call(const char* method, const std::string& url, const std::string& body,
              long status, long or_status = 0) {
    begin_.clear();
    ::curl_easy_setopt(curl_, CURLOPT_URL, url.c_str());
    ::curl_easy_setopt(curl_, CURLOPT_CUSTOMREQUEST, method);
    ::curl_easy_setopt(curl_, CURLOPT_POSTFIELDS, body.empty() ? nullptr : body.data());
    ::curl_easy_setopt(curl_, CURLOPT_POSTFIELDSIZE, static_cast<long>(body.size()));
    if (body.empty()) ::curl_easy_setopt(curl_, CURLOPT_HTTPGET, 1L);
    ::curl_easy_setopt(curl_, CURLOPT_CUSTOMREQUEST, method);
    ::curl_easy_setopt(curl_, CURLOPT_WRITEDATA, this);
    const auto begin = Clock::now();
    const auto code = ::curl_easy_perform(curl_);
    const std::chrono::duration<double, std::milli> took = Clock::now() - begin;
    long got = 0;
    ::curl_easy_getinfo(curl_, CURLINFO_RESPONSE_CODE, &got);
    if (code != CURLE_OK || (got != status && got != or_status)) {
      throw std::runtime_error(fmt::format("{} {}: {} {}: {}", method, url, got,
                                           ::curl_easy_strerror(code), begin_));
    }
    return took.count();
  }

 private:
  static std::size_t take(char* bytes, std::size_t size, std::size_t count, void* self) {
    constexpr std::size_t kMostShown = 300;
    auto& begin = static_cast<Caller*>(self)->begin_;
    begin.append(bytes, std::min(size * count, kMostShown - begin.size()));
    return size * count;
  }
  CURL* curl_;
  std::string begin_;  // of the answer
};

// A line for each value: what grows, how many of it, the value's title with its unit, the
// value. scripts/growth makes tables and plots of them.
class Values {
 public:
  explicit Values(std::string what) : what_(std::move(what)) {}
  void add(std::int64_t count, const std::string& title, double value) const {
    std::printf("%s\t%lld\t%s\t%.3f\n", what_.c_str(), static_cast<long long>(count),
                title.c_str(), value);
    std::fflush(stdout);
  }

 private:
  std::string what_;
};

// Where the records are: in the state folder, or in a PostgreSQL that is started for
// each count.
class Records {
 public:
  explicit Records(bool postgresql) : postgresql_(postgresql) {}

  std::string title(const std::string& what) const {
    return postgresql_ ? what + " in PostgreSQL" : what;
  }

  // Before the server starts on it.
  void make(const std::string& state, Grows what, std::int64_t count) {
    server_.reset();
    if (!postgresql_) return make_grown(state, what, count);
    server_ = std::make_unique<end_to_end::PostgresqlServer>();
    // More rows than a file is made of in a reasonable time are made there.
    const bool there = what == Grows::kLedgerRows;
    make_grown(state, what, there ? kLeast : count);
    const auto moved = end_to_end::run({end_to_end::vantrod_program(), "--state", state,
                                        "--move-database", server_->url()},
                                       {}, "", "", std::chrono::hours(2));
    if (moved.code != 0) throw std::runtime_error(moved.err);
    if (there) add_ledger_rows(count);
    query("vacuum analyze");
    query("checkpoint");
  }
  std::string settings() const {
    return server_ ? "[database]\nurl = \"" + server_->url() + "\"\n" : "";
  }
  // On its disk.
  double bytes() const {
    return server_ ? std::stod(query("select pg_database_size(current_database())")) : 0;
  }

 private:
  static constexpr std::int64_t kLeast = 1000;
  static constexpr std::int64_t kAtOnce = 2'000'000;

  std::string query(const std::string& sql) const {
    const auto done = end_to_end::run({"/usr/bin/psql", server_->url(), "-qAtc", sql}, {},
                                      "", "", std::chrono::hours(2));
    if (done.code != 0) throw std::runtime_error(done.err);
    return done.out;
  }
  // The same rows as bench/growth.cc makes. The indexes are made after them, as for any
  // large load.
  void add_ledger_rows(std::int64_t count) const {
    const auto indexes = query(
        "select string_agg(indexdef, ';') from pg_indexes where tablename = "
        "'ledger' and indexname <> 'ledger_pkey'");
    query(
        "do $$ declare one text; begin for one in select indexname from pg_indexes "
        "where tablename = 'ledger' and indexname <> 'ledger_pkey' loop execute 'drop "
        "index ' || one; end loop; end $$");
    query("delete from ledger");
    for (std::int64_t first = 1; first <= count; first += kAtOnce) {
      query(fmt::format(
          "set synchronous_commit = off; "
          "insert into ledger (id, at, event, actor, protocol, name, sha256, bytes, "
          "total, duration_ms, resent, outcome, sentence, heard_on, account, device) "
          "select k, {} + k * 10, case when k % 20000 = 7 then 'image-add' when k % 10 < "
          "3 then 'deposit' else 'fetch' end, '10.0.' || (k % 1000 / 256) || '.' || (k % "
          "1000 % 256), 'tftp', case when k % 10 < 3 then 'site-' || (k % 1000) || "
          "'.cfg' "
          "else 'platform' || (k / 10 % 500) || '-system-' || (k % 4000) || '.img' end, "
          "lpad(to_hex(k % 100000), 64, '0'), 19274302, 19274302, 4200, 3, case when k % "
          "10000 = 5 then 'refused' when k % 20000 = 3 then 'failed' else 'complete' "
          "end, "
          "'', '192.0.2.10:69 on eth0', '', 'device-' || lpad((k % 1000 + 1)::text, 7, "
          "'0') from generate_series({}::bigint, {}::bigint) as k",
          base::SystemClock{}.wall() - count * 10, first,
          std::min(count, first + kAtOnce - 1)));
    }
    query("set maintenance_work_mem = '1GB'; set max_parallel_maintenance_workers = 2; " +
          indexes);
    query(
        "insert into ledger_names select distinct lower(name) from ledger on conflict "
        "do nothing");
  }

  bool postgresql_;
  std::unique_ptr<end_to_end::PostgresqlServer> server_;
};

class Growth {
 public:
  Growth(int rounds, bool postgresql) : rounds_(rounds), records_(postgresql) {}

  void measure(const std::string& title, Grows what, std::int64_t from, std::int64_t to) {
    const Values table(records_.title(title));
    for (auto count = from; count <= to; count *= 10) {
      // The settings name the database, which is made with the state.
      const RealServer server(
          [&](const std::string& state) {
            records_.make(state, what, count);
            return kSettings + records_.settings();
          },
          1000);
      table.add(count, "start, ms", server.start_seconds() * 1000);
      table.add(count, "memory, MiB", server.memory() / kMiB);
      operations(table, count, server, what);
      table.add(count, "memory after these calls, MiB", server.memory() / kMiB);
      if (const auto bytes = records_.bytes(); bytes > 0) {
        table.add(count, "database on the disk, MiB", bytes / kMiB);
      }
    }
  }

  // Devices that have asked for an image, and do not acknowledge the first block.
  void transfers(std::int64_t to) {
    const Values table("Concurrent transfers");
    for (std::int64_t count = 10; count <= to; count *= 10) {
      const RealServer server(kSettings, 1 << 20);
      const auto before = server.memory();
      std::vector<base::UniqueFd> peers;
      for (std::int64_t i = 0; i < count; ++i) peers.push_back(ask(server, i));
      table.add(count, "memory, MiB", server.memory() / kMiB);
      table.add(count, "of it for one, KiB",
                (server.memory() - before) / 1024 / static_cast<double>(count));
      operations(table, count, server, Grows::kOffers);
    }
  }

 private:
  inline static const std::string kSettings =
      "[limits]\ntransfers = 100000\ntransfers_per_network = 100000\n"
      "transfers_per_device = 100000\nconnections = 20000\n"
      "[tftp]\ngive_up_after_s = 300\nmost_unanswered = 20\n";

  double median_of(const std::function<double(int)>& one) const {
    std::vector<double> times;
    for (int i = 0; i < rounds_; ++i) times.push_back(one(i));
    return median(times);
  }

  void operations(const Values& table, std::int64_t count, const RealServer& server,
                  Grows what) const {
    Caller people(server.socket());
    Caller device;
    const std::string api = "http://vantro/v1/";
    const auto files = fmt::format("http://127.0.0.1:{}/", server.http_port());
    const auto get = [&](const std::string& path) {
      return median_of([&](int) { return people.call("GET", api + path, "", 200); });
    };
    table.add(count, "status, ms", get("status"));
    table.add(count, "fetch, ms", median_of([&](int) {
                return device.call("GET", files + RealServer::kImage, "", 200);
              }));
    table.add(count, "wrong name, ms", median_of([&](int i) {
                return device.call(
                    "GET", files + fmt::format("platform77-sytsem-{}.img", i), "", 404);
              }));
    table.add(count, "add an image, ms", median_of([&](int i) {
                return people.call("PUT", api + fmt::format("images/new-{}.img", i),
                                   fmt::format("image {} of {}\n", i, count), 200, 201);
              }));
    table.add(count, "end an offer, ms", median_of([&](int i) {
                return people.call("DELETE", api + fmt::format("offers/new-{}.img", i),
                                   "", 200, 204);
              }));
    const end_to_end::ServerPorts ports{server.tftp_port(), 0, 0, 0, "", "", ""};
    table.add(
        count, "deposit, ms", median_of([&](int i) {
          const auto begin = Clock::now();
          const auto text = fmt::format("hostname one\n! {} {}\n", i, count);
          if (!end_to_end::deposit(end_to_end::Over::kTftp, ports, "127.20.0.1",
                                   "site.cfg", text)) {
            throw std::runtime_error("a deposit was not filed");
          }
          return std::chrono::duration<double, std::milli>(Clock::now() - begin).count();
        }));
    switch (what) {
      case Grows::kImages:
        table.add(count, "first page, ms", get("images"));
        table.add(count, "newest of each line, ms", get("images?newest=true"));
        table.add(count, "part of a name, ms", get("images?text=system-9"));
        table.add(count, "a rare part of a name, ms", get("images?text=system-99.img"));
        table.add(count, "of one platform, ms", get("images?platform=platform77"));
        table.add(count, "of one maker, ms", get("images?maker=Maker%203"));
        table.add(count, "of a range of versions, ms",
                  get("images?version=%3E%3D2.1%20%3C2.4"));
        break;
      case Grows::kOffers:
        table.add(count, "first page, ms", get("offers?limit=1000"));
        break;
      case Grows::kDevices:
        table.add(count, "first page, ms", get("devices?limit=1000"));
        table.add(count, "one, ms", get("devices/" + grown_device(count)));
        break;
      case Grows::kRevisions:
        table.add(count, "overview, ms", get("backups"));
        table.add(count, "of one device, ms", get("backups?holder=" + grown_device(1)));
        break;
      case Grows::kLedgerRows:
        table.add(count, "last page, ms", get("ledger"));
        table.add(count, "of one device, ms", get("ledger?whose=" + grown_device(1)));
        table.add(count, "refusals, ms", get("ledger?outcome=refused"));
        table.add(count, "failed fetches of one device, ms",
                  get("ledger?event=fetch&outcome=failed&whose=" + grown_device(4)));
        table.add(count, "a rare event, ms", get("ledger?event=image-add"));
        table.add(count, "of one name, ms", get("ledger?name=platform7-system-77.img"));
        table.add(count, "of a part of a name, ms", get("ledger?name=*-system-77.*"));
        table.add(count, "of one image's bytes, ms",
                  get("ledger?sha256=" + std::string(61, '0') + "abc"));
        table.add(count, "of a minute, ms", [&] {
          // In the middle of them.
          const auto from = base::SystemClock{}.wall() - count * 5;
          return get(fmt::format("ledger?from={}&until={}", base::iso_time(from),
                                 base::iso_time(from + 60'000)));
        }());
        break;
    }
  }

  static base::UniqueFd ask(const RealServer& server, std::int64_t number) {
    base::UniqueFd peer(::socket(AF_INET, SOCK_DGRAM | SOCK_CLOEXEC, 0));
    sockaddr_in from{};
    from.sin_family = AF_INET;
    from.sin_addr.s_addr = htonl(0x7F200001u + static_cast<std::uint32_t>(number));
    sockaddr_in to{};
    to.sin_family = AF_INET;
    to.sin_port = htons(server.tftp_port());
    to.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    const timeval patience{10, 0};
    ::setsockopt(peer.get(), SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
    std::string request("\0\1", 2);
    request += RealServer::kImage;
    request += std::string("\0octet\0blksize\0001428\0", 20);
    std::array<char, 2000> answer;
    const bool asked =
        peer &&
        ::bind(peer.get(), reinterpret_cast<sockaddr*>(&from), sizeof from) == 0 &&
        ::sendto(peer.get(), request.data(), request.size(), 0,
                 reinterpret_cast<sockaddr*>(&to), sizeof to) > 0 &&
        ::recv(peer.get(), answer.data(), answer.size(), 0) > 0;
    if (!asked) throw std::runtime_error("a transfer could not be begun");
    return peer;
  }

  int rounds_;
  Records records_;
};

const std::map<char, Grows> kKinds{{'i', Grows::kImages},
                                   {'o', Grows::kOffers},
                                   {'d', Grows::kDevices},
                                   {'r', Grows::kRevisions},
                                   {'l', Grows::kLedgerRows}};

void run(const std::string& only, std::int64_t most, int rounds, bool postgresql) {
  Growth growth(rounds, postgresql);
  const auto wanted = [&](char part) { return only.find(part) != std::string::npos; };
  if (wanted('i')) growth.measure("Images", Grows::kImages, 100, most);
  if (wanted('o')) growth.measure("Offers", Grows::kOffers, 100, most);
  if (wanted('d')) growth.measure("Devices", Grows::kDevices, 100, most);
  if (wanted('r')) growth.measure("Revisions", Grows::kRevisions, 100, most);
  if (wanted('l')) growth.measure("Ledger rows", Grows::kLedgerRows, 10'000, 10 * most);
  if (wanted('t')) growth.transfers(most / 100);
}

}  // namespace
}  // namespace vantro::bench

int main(int argc, char** argv) try {
  using namespace vantro::bench;
  CLI::App app{"how a server behaves as its contents grow"};
  std::string only = "iodrlt";
  std::string folder;
  std::int64_t most = 1'000'000;
  int rounds = 5;
  bool postgresql = false;
  app.add_flag("--postgresql", postgresql, "the records are in a PostgreSQL");
  app.add_option("--only", only, "letters of the parts to run");
  app.add_option("--most", most, "the largest count")->check(CLI::Range(100, 10'000'000));
  app.add_option("--rounds", rounds, "calls of each operation")
      ->check(CLI::Range(1, 100));
  app.add_option("--make", folder,
                 "only make a state folder with the largest count, to try things on");
  CLI11_PARSE(app, argc, argv);
  if (!folder.empty()) {
    make_grown(folder, kKinds.at(only.at(0)), most);
    return 0;
  }
  // As the service's unit has it, for 10,000 transfers. Root may raise its limit.
  rlimit limit{65536, 65536};
  if (::setrlimit(RLIMIT_NOFILE, &limit) != 0) {
    ::getrlimit(RLIMIT_NOFILE, &limit);
    limit.rlim_cur = limit.rlim_max;
    ::setrlimit(RLIMIT_NOFILE, &limit);
  }
  constexpr std::uint64_t kOwnDisk = std::uint64_t{24} << 30;
  // A PostgreSQL with so many rows needs more than the memory has.
  const auto why =
      postgresql ? "as the records are in PostgreSQL" : use_own_disk(kOwnDisk);
  if (!why.empty()) {
    std::fprintf(stderr, "This machine's disk decides as well (%s).\n", why.c_str());
  }
  run(only, most, rounds, postgresql);
} catch (const std::exception& error) {
  std::fprintf(stderr, "vantro-bench-growth: %s\n", error.what());
  return 1;
}
