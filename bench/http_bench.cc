// How fast HTTP is, as ratios to what the machine can do in the same run.
//
//   vantro-bench-http [--rounds N] [--only LETTERS] [--markdown]
//
// Each pair (a yardstick, the server) is measured in turns, N rounds; what is shown are
// the medians and their ratio. Everything is on loopback, in processes of its own.
#include <algorithm>
#include <atomic>
#include <cstdio>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <string>
#include <sys/socket.h>
#include <thread>
#include <unistd.h>
#include <vector>

#include "bench/bare_receiver.h"
#include "bench/bench_main.h"
#include "bench/limits.h"
#include "bench/real_server.h"
#include "bench/tcp_peers.h"
#include "bench/tls_reader.h"

namespace vantro::bench {
namespace {

constexpr std::size_t kImage = std::size_t{1} << 30;
constexpr const char* kSettings =
    "[limits]\nconnections = 20000\nconnections_per_device = 20000\n"
    "transfers_per_device = 20000\ntransfers_per_network = 20000\n"
    "transfers = 20000\ndeposited_per_day = \"10000 GiB\"\n";

// Readers that take about a thousand bytes a second each, on one thread.
class SlowReaders {
 public:
  SlowReaders(std::uint16_t port, std::size_t count) {
    const auto request = request_for(RealServer::kImage);
    for (std::size_t i = 0; i < count; ++i) {
      const int fd = connect_to(port, 4096);
      if (fd < 0) throw std::runtime_error("no connection for a slow reader");
      ::send(fd, request.data(), request.size(), MSG_NOSIGNAL);
      sockets_.push_back(fd);
    }
    thread_ = std::thread([this] {
      std::vector<char> buffer(100);
      while (!stopped_) {
        for (const int fd : sockets_) {
          ::recv(fd, buffer.data(), buffer.size(), MSG_DONTWAIT);
        }
        std::this_thread::sleep_for(std::chrono::milliseconds(100));
      }
    });
  }
  ~SlowReaders() {
    stopped_ = true;
    thread_.join();
    for (const int fd : sockets_) ::close(fd);
  }

 private:
  std::vector<int> sockets_;
  std::atomic<bool> stopped_ = false;
  std::thread thread_;
};

class IdleConnections {
 public:
  IdleConnections(std::uint16_t port, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) {
      sockets_.push_back(connect_to(port));
      if (sockets_.back() < 0) throw std::runtime_error("no connection to stay idle");
    }
  }
  ~IdleConnections() {
    for (const int fd : sockets_) ::close(fd);
  }

 private:
  std::vector<int> sockets_;
};

class Bench {
 public:
  Bench(int rounds, bool markdown) : rounds_(rounds), report_(markdown) {}

  void one(const RealServer& server) {
    const SendfilePump pump(server.image(), 2);
    pair(
        "(a) 1 download of 1 GiB in the page cache",
        [&](std::uint16_t port) {
          return kImage / read_together(port, RealServer::kImage, 1, kImage).front();
        },
        pump.port(), server.http_port());
  }

  void many(const RealServer& server) {
    constexpr std::size_t kReaders = 200;
    constexpr std::size_t kBytes = std::size_t{32} << 20;
    const auto file = server.folder() + "/many.img";
    std::ofstream(file) << std::string(kBytes, 'm');
    server.add(file);
    const SendfilePump pump(file, 2);
    std::vector<double> bare, ours, bare_spread, spread;
    const auto measure = [&](std::uint16_t port, std::vector<double>& rates,
                             std::vector<double>& spreads) {
      const auto seconds = read_together(port, "many.img", kReaders, kBytes);
      const auto slowest = *std::max_element(seconds.begin(), seconds.end());
      rates.push_back(kReaders * static_cast<double>(kBytes) / slowest);
      spreads.push_back(slowest / median(seconds));
    };
    for (int i = 0; i < rounds_; ++i) {
      measure(pump.port(), bare, bare_spread);
      measure(server.http_port(), ours, spread);
    }
    report_.line("(b) 200 downloads of 32 MiB at once, in sum", rate_text(median(bare)),
                 rate_text(median(ours)), ratio_text(median(ours) / median(bare)));
    report_.line("(b) their slowest beside their median", ratio_text(median(bare_spread)),
                 ratio_text(median(spread)), "");
  }

  void upload(const RealServer& server) {
    std::vector<double> digests, disk, ours, bare, late;
    const BareReceiver receiver(server.folder());
    for (int i = 0; i < rounds_; ++i) {
      digests.push_back(sha256_limit(kImage));
      disk.push_back(disk_limit(server.folder(), kImage));
      const auto name = fmt::format("up-{}", i);
      bare.push_back(kImage / put(receiver.port(), name, kImage));
      ours.push_back(kImage / put(server.http_port(), name, kImage));
      // The other digests are computed now.
      late.push_back(server.settle());
    }
    const auto limit = std::min(median(digests), median(disk));
    report_.line("(c) SHA-256 on one thread", rate_text(median(digests)), "", "");
    report_.line("(c) write and sync of 1 GiB", rate_text(median(disk)), "", "");
    report_.line("(c) an upload of 1 GiB, beside the slower", rate_text(limit),
                 rate_text(median(ours)), ratio_text(median(ours) / limit));
    report_.line("(c) the same beside a bare program", rate_text(median(bare)),
                 rate_text(median(ours)), ratio_text(median(ours) / median(bare)));
    report_.line("(c) from the answer until all digests are there", "",
                 fmt::format("{:.1f} s", median(late)), "");
  }

  void small(const RealServer& server) {
    const auto file = server.folder() + "/small.img";
    std::ofstream(file) << std::string(1000, 's');
    server.add(file);
    for (const std::size_t connections : {1, 16}) {
      std::vector<double> rates, cost;
      for (int i = 0; i < rounds_; ++i) {
        const auto before = server.cpu();
        const auto rate =
            ask_again_and_again(server.http_port(), "small.img", connections, 1.0);
        rates.push_back(rate);
        cost.push_back((server.cpu() - before) / rate * 1e6);
        // The ledger's rows are written meanwhile; not on the next round's account.
        ::usleep(500'000);
      }
      report_.line(fmt::format("(d) requests of 1000 bytes a second, {} connection{}",
                               connections, connections == 1 ? "" : "s"),
                   "aim 10000", fmt::format("{:.0f}", median(rates)),
                   fmt::format("{:.0f} us of processor each", median(cost)));
    }
  }

  void memory(const RealServer& server) {
    constexpr std::size_t kConnections = 1000;
    const auto empty = server.memory();
    double idle = 0;
    {
      const IdleConnections some(server.http_port(), kConnections);
      ::usleep(1'000'000);
      idle = server.memory();
    }
    const SlowReaders some(server.http_port(), kConnections);
    ::usleep(2'000'000);
    const auto busy = server.memory();
    report_.line("(e) memory for an idle connection, of 1000", "",
                 fmt::format("{:.1f} KiB", (idle - empty) / kConnections / 1024), "");
    report_.line("(e) memory for a busy one, of 1000", "",
                 fmt::format("{:.1f} KiB", (busy - empty) / kConnections / 1024), "");
  }

  void beside_slow(const RealServer& server) {
    std::vector<double> alone, beside;
    const auto rate = [&] {
      return kImage /
             read_together(server.http_port(), RealServer::kImage, 1, kImage).front();
    };
    for (int i = 0; i < rounds_; ++i) {
      alone.push_back(rate());
      const IdleConnections idle(server.http_port(), 1000);
      const SlowReaders slow(server.http_port(), 100);
      ::usleep(1'000'000);
      beside.push_back(rate());
    }
    report_.line("(f) 1 download; beside 1000 idle and 100 slow ones",
                 rate_text(median(alone)), rate_text(median(beside)),
                 ratio_text(median(beside) / median(alone)));
  }

  void over_tls(const RealServer& server, std::uint16_t port) {
    TlsRounds rounds;
    for (int i = 0; i < rounds_; ++i) {
      rounds.add(server, kImage,
                 [&] { return read_over_tls(port, RealServer::kImage, kImage); });
    }
    rounds.report(report_, "(g)", "HTTPS");
  }

 private:
  template <class F>
  void pair(const std::string& what, F rate, std::uint16_t bare, std::uint16_t ours) {
    std::vector<double> theirs, mine;
    for (int i = 0; i < rounds_; ++i) {
      theirs.push_back(rate(bare));
      mine.push_back(rate(ours));
    }
    report_.line(what, rate_text(median(theirs)), rate_text(median(mine)),
                 ratio_text(median(mine) / median(theirs)));
  }

  int rounds_;
  Report report_;
};

}  // namespace
}  // namespace vantro::bench

int main(int argc, char** argv) {
  using namespace vantro::bench;
  return bench_main(argc, argv, "HTTP", "abcdefg", [](const Choice& choice) {
    const auto files =
        make_certificate_files(std::filesystem::temp_directory_path().string());
    const RealServer server(
        fmt::format("{}[https]\nlisten = [\"127.0.0.1:0\"]\ncertificate = \"{}\"\n"
                    "key = \"{}\"\n",
                    kSettings, files.certificate, files.key),
        kImage);
    Bench bench(choice.rounds, choice.markdown);
    if (choice.wanted('e')) bench.memory(server);
    if (choice.wanted('a')) bench.one(server);
    if (choice.wanted('b')) bench.many(server);
    if (choice.wanted('c')) bench.upload(server);
    if (choice.wanted('d')) bench.small(server);
    if (choice.wanted('f')) bench.beside_slow(server);
    if (choice.wanted('g')) bench.over_tls(server, server.https_port());
  });
}
