// What several nodes on one PostgreSQL cost and bring, on one machine.
//
//   vantro-bench-nodes [--rounds N] [--only LETTERS] [--markdown]
//
//   a  1,200 devices deposit 30 kB each, 60 at once, over HTTP, at one, two and three
//      nodes in turn. Beside it: one server with its records in a file.
//   b  3,000 fetches of 30 kB over HTTP, 30 at once, each over a connection of its own:
//      the same
//   c  a name that one node offers, asked for at another: from the answer to the change
//      until that has it. The aim is 200 ms.
//
// The nodes and the database share the machine's processors: so more nodes are not faster
// here, and what is shown is what being several costs.
#include <algorithm>
#include <atomic>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <curl/curl.h>
#include <filesystem>
#include <fmt/format.h>
#include <memory>
#include <stdexcept>
#include <string>
#include <thread>
#include <vector>

#include "bench/bench_main.h"
#include "bench/real_server.h"
#include "tests/end_to_end/depositors.h"
#include "tests/end_to_end/node_server.h"
#include "tests/end_to_end/postgresql_server.h"

namespace vantro::bench {
namespace {

using Clock = std::chrono::steady_clock;
using end_to_end::NodeServer;

constexpr int kDeposits = 1200;
constexpr int kDepositsAtOnce = 60;
constexpr int kFetches = 3000;
constexpr int kFetchesAtOnce = 30;
constexpr int kChanges = 50;
constexpr std::size_t kSize = 30'000;
constexpr const char* kImage = "small.img";

double seconds_since(Clock::time_point begin) {
  return std::chrono::duration<double>(Clock::now() - begin).count();
}

// So many pieces of work on so many threads; the seconds for all.
template <class Work>
double together(int count, int at_once, Work work) {
  std::atomic<int> next = 0;
  std::atomic<bool> failed = false;
  const auto begin = Clock::now();
  std::vector<std::thread> threads;
  for (int i = 0; i < at_once; ++i) {
    threads.emplace_back([&] {
      for (int one = next++; one < count; one = next++) {
        if (!work(one)) failed = true;
      }
    });
  }
  for (auto& one : threads) one.join();
  if (failed) throw std::runtime_error("something was refused");
  return seconds_since(begin);
}

std::size_t drop(char*, std::size_t size, std::size_t count, void*) {
  return size * count;
}

// Whether it is there. Over a connection of its own, from the address if there is one.
bool fetch(const std::string& url, const std::string& from = "") {
  CURL* curl = ::curl_easy_init();
  if (!from.empty()) ::curl_easy_setopt(curl, CURLOPT_INTERFACE, from.c_str());
  ::curl_easy_setopt(curl, CURLOPT_URL, url.c_str());
  ::curl_easy_setopt(curl, CURLOPT_WRITEFUNCTION, drop);
  ::curl_easy_setopt(curl, CURLOPT_NOSIGNAL, 1L);
  ::curl_easy_setopt(curl, CURLOPT_TIMEOUT, 60L);
  const auto code = ::curl_easy_perform(curl);
  long status = 0;
  ::curl_easy_getinfo(curl, CURLINFO_RESPONSE_CODE, &status);
  ::curl_easy_cleanup(curl);
  return code == CURLE_OK && status == 200;
}

// So many nodes on a PostgreSQL of their own; none: one server with a file.
class Cluster {
 public:
  explicit Cluster(std::size_t count) {
    std::string pattern = std::filesystem::temp_directory_path() / "vantro-nodes-XXXXXX";
    folder_ = ::mkdtemp(pattern.data());
    if (count > 0) postgresql_ = std::make_unique<end_to_end::PostgresqlServer>();
    for (std::size_t i = 0; i < std::max<std::size_t>(1, count); ++i) {
      nodes_.push_back(std::make_unique<NodeServer>(fmt::format("node{}", i + 1),
                                                    folder_ + "/state", folder_));
      nodes_.back()->begin(postgresql_ ? postgresql_->url() : "",
                           {"--log-level", "error"});
      if (!nodes_.back()->ready()) throw std::runtime_error(nodes_.back()->err());
    }
  }
  ~Cluster() {
    nodes_.clear();
    std::filesystem::remove_all(folder_);
  }
  Cluster(const Cluster&) = delete;
  Cluster& operator=(const Cluster&) = delete;

  const NodeServer& at(int number) const {
    return *nodes_[static_cast<std::size_t>(number) % nodes_.size()];
  }
  void add_image() const {
    const auto file = folder_ + "/" + kImage;
    std::string bytes(kSize, 'i');
    bytes.front() = '\0';
    std::FILE* out = std::fopen(file.c_str(), "w");
    std::fwrite(bytes.data(), 1, bytes.size(), out);
    std::fclose(out);
    const auto added = at(0).vantro({"image", "add", file, "--yes"});
    if (added.code != 0) throw std::runtime_error(added.err);
    for (std::size_t i = 0; i < nodes_.size(); ++i) {
      while (!fetch(at(static_cast<int>(i)).http_url(std::string("/") + kImage))) {
        std::this_thread::sleep_for(std::chrono::milliseconds(10));
      }
    }
  }

 private:
  std::string folder_;
  std::unique_ptr<end_to_end::PostgresqlServer> postgresql_;
  std::vector<std::unique_ptr<NodeServer>> nodes_;
};

std::uint16_t port_of(const std::string& url) {
  return static_cast<std::uint16_t>(std::atoi(url.c_str() + url.rfind(':') + 1));
}

double deposits_a_second(const Cluster& cluster) {
  std::vector<end_to_end::ServerPorts> ports;
  for (int i = 0; i < 3; ++i) {
    end_to_end::ServerPorts one;
    one.http = port_of(cluster.at(i).http_url(""));
    ports.push_back(one);
  }
  return kDeposits / together(kDeposits, kDepositsAtOnce, [&](int i) {
           const auto from = fmt::format("127.9.{}.{}", i / 250, i % 250 + 1);
           std::string bytes(kSize, '\0');
           for (std::size_t at = 0; at < bytes.size(); at += 8) {
             bytes[at] = static_cast<char>(i * 31 + static_cast<int>(at) / 8);
             bytes[at + 1] = static_cast<char>(i >> 8);
           }
           return end_to_end::deposit(end_to_end::Over::kHttp,
                                      ports[static_cast<std::size_t>(i % 3)], from,
                                      "site.bin", bytes);
         });
}

double fetches_a_second(const Cluster& cluster) {
  std::vector<std::string> urls;
  for (int i = 0; i < 3; ++i) {
    urls.push_back(cluster.at(i).http_url(std::string("/") + kImage));
  }
  return kFetches / together(kFetches, kFetchesAtOnce, [&](int i) {
           // A device does not fetch so many at once.
           return fetch(urls[static_cast<std::size_t>(i % 3)],
                        fmt::format("127.9.1.{}", i % 250 + 1));
         });
}

// A server with a file first, then one to three nodes.
template <class Measure>
void beside_a_file(const Choice& choice, const Report& report, const std::string& what,
                   Measure measure) {
  std::vector<double> rates;
  for (std::size_t nodes = 0; nodes <= 3; ++nodes) {
    std::vector<double> each;
    for (int i = 0; i < std::max(1, choice.rounds / 2); ++i) {
      const Cluster cluster(nodes);
      cluster.add_image();
      each.push_back(measure(cluster));
    }
    rates.push_back(median(each));
    if (nodes == 0) continue;
    report.line(fmt::format("{}, {} {}", what, nodes, nodes == 1 ? "node" : "nodes"),
                fmt::format("{:.0f}/s", rates.front()),
                fmt::format("{:.0f}/s", rates.back()),
                fmt::format("{:.2f}", rates.back() / rates.front()));
  }
}

void changes(const Report& report) {
  const Cluster cluster(2);
  cluster.add_image();
  std::vector<double> times;
  for (int i = 0; i < kChanges; ++i) {
    const auto name = fmt::format("name-{}.img", i);
    const auto done = cluster.at(0).vantro({"offer", "add", kImage, "--name", name});
    if (done.code != 0) throw std::runtime_error(done.err);
    const auto begin = Clock::now();
    const auto url = cluster.at(1).http_url("/" + name);
    while (!fetch(url)) std::this_thread::sleep_for(std::chrono::milliseconds(1));
    times.push_back(seconds_since(begin) * 1000);
  }
  const auto slowest = *std::max_element(times.begin(), times.end());
  report.line(fmt::format("a change seen by another node, median of {}", kChanges),
              "200 ms", fmt::format("{:.1f} ms", median(times)),
              fmt::format("slowest {:.1f} ms", slowest));
}

void run(const Choice& choice) {
  const Report report(choice.markdown);
  if (choice.wanted('a')) {
    beside_a_file(choice, report, "deposits of 30 kB over HTTP", deposits_a_second);
  }
  if (choice.wanted('b')) {
    beside_a_file(choice, report, "fetches of 30 kB over HTTP", fetches_a_second);
  }
  if (choice.wanted('c')) changes(report);
}

}  // namespace
}  // namespace vantro::bench

int main(int argc, char** argv) {
  ::curl_global_init(CURL_GLOBAL_DEFAULT);
  return vantro::bench::bench_main(argc, argv, "several nodes", "abc",
                                   vantro::bench::run);
}
