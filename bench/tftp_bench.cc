// How fast the TFTP server is, as ratios to what the machine can do in the same run.
//
//   vantro-bench-tftp [--rounds N] [--only LETTERS] [--markdown]
//
// Each pair (a yardstick, the server) is measured in turns, N rounds; what is shown are
// the medians and their ratio. Everything is on loopback, in processes of its own.
#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <functional>
#include <string>
#include <unistd.h>
#include <vector>

#include "bench/bare_peers.h"
#include "bench/bench_main.h"
#include "bench/readers.h"
#include "bench/real_server.h"

namespace vantro::bench {
namespace {

Target tftp_target(const RealServer& server) {
  return {server.tftp_port(), RealServer::kImage};
}

class Bench {
 public:
  Bench(int rounds, bool markdown) : rounds_(rounds), report_(markdown) {}

  void lock_step(const RealServer& server) {
    for (const std::size_t block : {512, 1428, 8192, 65464}) {
      const auto bare = BarePeer::windowed(block, 1);
      pair(fmt::format("(a) 1 reader, blksize {}", block), block, bare,
           tftp_target(server), [=](const Target& target, std::size_t blocks) {
             return read_alone(target, block, 1, blocks);
           });
    }
  }

  // The largest blocks once more: beside a yardstick that has to read them, too.
  void lock_step_from_a_file(const RealServer& server) {
    for (const std::size_t block : {8192, 65464}) {
      const auto bare = BarePeer::windowed(block, 1, server.image());
      pair(fmt::format("(a) the same, the limit reads a file, {}", block), block, bare,
           tftp_target(server), [=](const Target& target, std::size_t blocks) {
             return read_alone(target, block, 1, blocks);
           });
    }
  }

  void windows(const RealServer& server) {
    for (const std::size_t block : {512, 1428}) {
      for (const std::size_t window : {8, 16, 64}) {
        const auto read = [=](const Target& target, std::size_t blocks) {
          return read_alone(target, block, window, blocks);
        };
        pair(fmt::format("(b) 1 reader, blksize {}, windowsize {}", block, window), block,
             BarePeer::windowed(block, window), tftp_target(server), read);
        pair("(b) the same, the limit reads a file", block,
             BarePeer::windowed(block, window, server.image()), tftp_target(server),
             read);
      }
    }
  }

  void many(const RealServer& one, const RealServer& two) {
    for (const std::size_t readers : {500, 2000}) {
      const auto bare = BarePeer::epoll(1428);
      const std::size_t blocks = 400'000 / readers;
      std::vector<double> limit, ours, both, fair, fair_two, busy;
      for (int i = 0; i < rounds_; ++i) {
        const auto rate = [&](const ManyResult& r) {
          return static_cast<double>(readers * (blocks - 1)) / r.seconds;
        };
        limit.push_back(
            rate(read_together({bare.port(), "x"}, readers, 1428, 1, blocks, false)));
        const auto before = one.cpu();
        const auto single =
            read_together(tftp_target(one), readers, 1428, 1, blocks, false);
        busy.push_back((one.cpu() - before) / single.seconds);
        ours.push_back(rate(single));
        fair.push_back(single.slowest / single.median);
        const auto twice =
            read_together(tftp_target(two), readers, 1428, 1, blocks, false);
        both.push_back(rate(twice));
        fair_two.push_back(twice.slowest / twice.median);
      }
      report_.line(fmt::format("(c) {} readers, blksize 1428, 1 thread", readers),
                   blocks_text(median(limit)), blocks_text(median(ours)),
                   fmt::format("{:.2f}", median(ours) / median(limit)));
      report_.line(fmt::format("(c) {} readers, blksize 1428, 2 threads", readers),
                   blocks_text(median(limit)), blocks_text(median(both)),
                   fmt::format("{:.2f}", median(both) / median(limit)));
      report_.line("    of a core, the 1 thread was busy", "",
                   fmt::format("{:.0f}%", 100 * median(busy)), "");
      report_.line(fmt::format("    slowest reader / median reader, {}", readers), "",
                   fmt::format("{:.2f}, {:.2f}", median(fair), median(fair_two)), "");
    }
  }

  void cost(const RealServer& server) {
    for (const auto& [block, window] : {std::pair<std::size_t, std::size_t>{1428, 1},
                                        {1428, 16},
                                        {8192, 1},
                                        {65464, 1}}) {
      const auto blocks = (200 << 20) / block;
      const auto before = server.cpu();
      read_alone(tftp_target(server), block, window, blocks);
      const auto used = server.cpu() - before;
      const auto bytes = static_cast<double>(blocks * block);
      report_.line(
          fmt::format("(d) processor time, blksize {}, windowsize {}", block, window), "",
          fmt::format("{:.2f} s/GiB", used / bytes * kGiB), "");
    }
  }

  // On a server that has done nothing else yet.
  void memory(const RealServer& server) {
    const auto before = server.memory();
    const WaitingReaders waiting(tftp_target(server), 1000, 1428);
    report_.line("(d) memory for a transfer, of 1000 that wait, blksize 1428", "",
                 fmt::format("{:.0f} KiB", (server.memory() - before) / 1000 / 1024), "");
  }

  void writes(const RealServer& server) {
    std::vector<double> without, with;
    for (int i = 0; i < rounds_; ++i) {
      const std::size_t bytes = (32 << 20) + static_cast<std::size_t>(i) * 8192;
      const auto result = write_alone(
          {tftp_target(server).port, fmt::format("bench-{}.cfg", i)}, 8192, 8, bytes);
      without.push_back(static_cast<double>(bytes) / result.to_last_block);
      with.push_back(static_cast<double>(bytes) / result.to_last_ack);
    }
    report_.line("(e) a write of 32 MiB, blksize 8192, windowsize 8, to the last block",
                 "", rate_text(median(without)), "");
    report_.line("(e) the same, to the last ACK (filed and synced)",
                 rate_text(median(without)), rate_text(median(with)),
                 fmt::format("{:.2f}", median(with) / median(without)));
  }

  void garbage(const RealServer& server) {
    constexpr std::size_t kReaders = 500;
    constexpr std::size_t kBlocks = 800;
    const auto sink = BarePeer::sink();
    std::vector<double> quiet, elsewhere, here;
    const auto rate = [&] {
      const auto r =
          read_together(tftp_target(server), kReaders, 1428, 1, kBlocks, false);
      return kReaders * (kBlocks - 1) / r.seconds;
    };
    for (int i = 0; i < rounds_; ++i) {
      quiet.push_back(rate());
      {
        const Garbage flood(sink.port(), 50'000);
        elsewhere.push_back(rate());
      }
      {
        const Garbage flood(tftp_target(server).port, 50'000);
        here.push_back(rate());
      }
    }
    report_.line("(f) 500 readers; a flood of 50,000/s to another port",
                 blocks_text(median(quiet)), blocks_text(median(elsewhere)),
                 fmt::format("{:.2f}", median(elsewhere) / median(quiet)));
    report_.line("(f) 500 readers; the flood to vantrod's port",
                 blocks_text(median(elsewhere)), blocks_text(median(here)),
                 fmt::format("{:.2f}", median(here) / median(elsewhere)));
  }

  void two_cores(const RealServer& one, const RealServer& two) {
    constexpr std::size_t kReaders = 500;
    constexpr std::size_t kBlock = 1428;
    constexpr std::size_t kWindow = 40;
    constexpr std::size_t kBlocks = 8000;
    std::vector<double> single, both, per_cpu_one, per_cpu_two;
    for (int i = 0; i < rounds_; ++i) {
      const auto measure = [&](const RealServer& server, std::vector<double>& rates,
                               std::vector<double>& per_cpu) {
        const auto before = server.cpu();
        const auto r =
            read_together(tftp_target(server), kReaders, kBlock, kWindow, kBlocks, true);
        const double bytes = kReaders * kBlocks * static_cast<double>(kBlock);
        rates.push_back(bytes / r.seconds);
        per_cpu.push_back(bytes / (server.cpu() - before));
      };
      measure(one, single, per_cpu_one);
      measure(two, both, per_cpu_two);
    }
    report_.line("(g) 500 cheap readers, blksize 1428, windowsize 40, 1 thread -> 2",
                 rate_text(median(single)), rate_text(median(both)),
                 fmt::format("{:.2f}", median(both) / median(single)));
    report_.line("(g) bytes for a second of processor time, 1 thread -> 2",
                 rate_text(median(per_cpu_one)), rate_text(median(per_cpu_two)),
                 fmt::format("{:.2f}", median(per_cpu_two) / median(per_cpu_one)));
  }

 private:
  static std::string rate_text(double bytes_per_second) {
    return fmt::format("{:.0f} MiB/s", bytes_per_second / kMiB);
  }
  static std::string blocks_text(double per_second) {
    return fmt::format("{:.0f} blocks/s", per_second);
  }

  // So many blocks that one measurement takes about a third of a second.
  void pair(const std::string& what, std::size_t block, const BarePeer& bare,
            const Target& ours,
            const std::function<double(const Target&, std::size_t)>& read) {
    const Target limit{bare.port(), "x"};
    const std::size_t most = (250 << 20) / block;
    const std::size_t trial = std::min<std::size_t>(3200, most);
    const auto blocks = std::min(
        most,
        static_cast<std::size_t>(static_cast<double>(trial) / read(limit, trial) * 0.33));
    std::vector<double> theirs, mine;
    for (int i = 0; i < rounds_; ++i) {
      const auto bytes = static_cast<double>(blocks * block);
      theirs.push_back(bytes / read(limit, blocks));
      mine.push_back(bytes / read(ours, blocks));
    }
    report_.line(what, rate_text(median(theirs)), rate_text(median(mine)),
                 fmt::format("{:.2f}", median(mine) / median(theirs)));
  }

  int rounds_;
  Report report_;
};

}  // namespace
}  // namespace vantro::bench

int main(int argc, char** argv) {
  using namespace vantro::bench;
  return bench_main(argc, argv, "TFTP", "abcdefg", [](const Choice& choice) {
    const auto with_threads = [](int threads) {
      return RealServer(fmt::format("[tftp]\nthreads = {}\n", threads), 256 << 20);
    };
    const auto one = with_threads(1);
    const auto two = with_threads(2);
    Bench bench(choice.rounds, choice.markdown);
    if (choice.wanted('d')) bench.memory(with_threads(1));
    if (choice.wanted('a')) bench.lock_step(one);
    if (choice.wanted('a')) bench.lock_step_from_a_file(one);
    if (choice.wanted('b')) bench.windows(one);
    if (choice.wanted('c')) bench.many(one, two);
    if (choice.wanted('d')) bench.cost(one);
    if (choice.wanted('e')) bench.writes(one);
    if (choice.wanted('f')) bench.garbage(two);
    if (choice.wanted('g')) bench.two_cores(one, two);
  });
}
