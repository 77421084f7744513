// How fast backups are filed, compared and listed.
//
//   vantro-bench-backups [--rounds N] [--only LETTERS] [--markdown]
//
//   a  2,000 devices deposit 30 kB each at once, over TFTP, FTP and HTTP; each has its
//      acknowledgement, and so its file and record on disk. Beside it: what the disk
//      makes of the same bytes and as many names and records, written and synced in
//      groups of 64 by a program that does nothing else.
//   b  the same with every fourth over SCP, and SCP alone, 120 at once: mostly key
//      exchanges
//   c  two configurations of 50,000 lines are compared
//   d  the overview of 10,000 devices with 100 revisions each: the command, from its
//      start to its end
#include <algorithm>
#include <array>
#include <atomic>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <random>
#include <set>
#include <stdexcept>
#include <string>
#include <sys/resource.h>
#include <thread>
#include <unistd.h>
#include <vector>

#include "backup/comparison.h"
#include "base/unique_fd.h"
#include "bench/bench_main.h"
#include "bench/history.h"
#include "bench/real_server.h"
#include "tests/end_to_end/depositors.h"

namespace vantro::bench {
namespace {

using Clock = std::chrono::steady_clock;
using end_to_end::Over;

constexpr int kDevices = 2000;
constexpr int kScpDevices = 500;
constexpr int kScpAtOnce = 120;
constexpr std::size_t kSize = 30'000;
constexpr std::size_t kGroup = 64;

// Seconds of processor time of this process so far: the devices'.
double own_cpu() {
  rusage used{};
  ::getrusage(RUSAGE_SELF, &used);
  const auto seconds = [](const timeval& t) {
    return static_cast<double>(t.tv_sec) + static_cast<double>(t.tv_usec) / 1e6;
  };
  return seconds(used.ru_utime) + seconds(used.ru_stime);
}

double seconds_since(Clock::time_point begin) {
  return std::chrono::duration<double>(Clock::now() - begin).count();
}

std::string configuration(int device, int turn) {
  std::mt19937 random(static_cast<unsigned>(device * 131 + turn));
  std::string text = fmt::format("device {} turn {}\n", device, turn);
  while (text.size() < kSize) text += fmt::format("    port {} state on\n", random());
  text.resize(kSize);
  return text;
}

[[noreturn]] void failed(const std::string& what) {
  throw std::runtime_error(what + ": " + std::strerror(errno));
}

// Files per second: written, synced and named in groups, with a record for each in a log
// that is synced once for the group.
double disk_limit(const std::string& folder, int round) {
  const auto root = folder + "/limit-" + std::to_string(round);
  for (int shelf = 0; shelf < 256; ++shelf) {
    std::filesystem::create_directories(fmt::format("{}/{:02x}", root, shelf));
  }
  std::vector<std::string> texts;
  for (int i = 0; i < kDevices; ++i) texts.push_back(configuration(i, -1 - round));
  const base::UniqueFd log(::open((root + "/log").c_str(), O_WRONLY | O_CREAT, 0600));
  const std::string record(400, 'r');
  const auto begin = Clock::now();
  for (std::size_t first = 0; first < texts.size(); first += kGroup) {
    const auto last = std::min(texts.size(), first + kGroup);
    std::vector<base::UniqueFd> files;
    for (auto i = first; i < last; ++i) {
      files.emplace_back(
          ::open(fmt::format("{}/new-{}", root, i).c_str(), O_WRONLY | O_CREAT, 0600));
      if (::write(files.back().get(), texts[i].data(), texts[i].size()) < 0) {
        failed("write");
      }
      ::sync_file_range(files.back().get(), 0, 0, SYNC_FILE_RANGE_WRITE);
    }
    std::set<int> shelves;
    for (const auto& file : files) {
      if (::fsync(file.get()) != 0) failed("fsync");
    }
    for (auto i = first; i < last; ++i) {
      const int shelf = static_cast<int>(i * 7919 % 256);
      shelves.insert(shelf);
      ::rename(fmt::format("{}/new-{}", root, i).c_str(),
               fmt::format("{}/{:02x}/{}", root, shelf, i).c_str());
      if (::write(log.get(), record.data(), record.size()) < 0) failed("write");
    }
    for (const auto shelf : shelves) {
      const base::UniqueFd opened(
          ::open(fmt::format("{}/{:02x}", root, shelf).c_str(), O_RDONLY | O_DIRECTORY));
      if (::fsync(opened.get()) != 0) failed("fsync");
    }
    if (::fdatasync(log.get()) != 0) failed("fdatasync");
  }
  // Not removed before the end: ext4 passes over inodes that were freed some seconds ago,
  // one by one, and the server would pay for that.
  return kDevices / seconds_since(begin);
}

std::string address_of(int device) {
  return fmt::format("127.{}.{}.{}", 20 + device / 60'000, device / 250 % 240,
                     device % 250 + 1);
}

// Deposits per second.
double rush(const end_to_end::ServerPorts& ports, int devices, int at_once,
            const std::vector<Over>& protocols, int turn) {
  std::vector<std::string> texts;
  for (int i = 0; i < devices; ++i) texts.push_back(configuration(i, turn));
  std::atomic<int> next = 0;
  std::atomic<int> lost = 0;
  std::vector<std::thread> threads;
  const auto begin = Clock::now();
  for (int i = 0; i < at_once; ++i) {
    threads.emplace_back([&] {
      for (int device = next++; device < devices; device = next++) {
        const auto over = protocols[static_cast<std::size_t>(device) % protocols.size()];
        const bool kept = end_to_end::deposit(over, ports, address_of(device), "site.cfg",
                                              texts[static_cast<std::size_t>(device)]);
        if (!kept) ++lost;
      }
    });
  }
  for (auto& thread : threads) thread.join();
  const auto rate = devices / seconds_since(begin);
  if (lost > 0) throw std::runtime_error(fmt::format("{} were not filed", lost.load()));
  return rate;
}

std::string rate_of(double per_second) { return fmt::format("{:.0f}/s", per_second); }
std::string ms_of(double seconds) { return fmt::format("{:.0f} ms", seconds * 1000); }

void deposits(const Choice& choice, const Report& report) {
  const RealServer server(
      "[limits]\ntransfers = 10000\nconnections = 10000\n"
      "transfers_per_network = 10000\n"
      "[ssh]\nlisten = [\"127.0.0.1:0\"]\nconnections = 1000\n",
      1 << 20);
  server.vantro({"account", "add", "bench", "--may", "deposit", "--networks", "loopback"},
                "bench and more\n");
  const end_to_end::ServerPorts ports{server.tftp_port(),
                                      server.ftp_port(),
                                      server.http_port(),
                                      server.ssh_port(),
                                      "bench",
                                      "bench and more",
                                      ""};
  std::vector<double> limits;
  std::vector<double> ours;
  std::vector<double> mixed;
  std::vector<double> scp;
  std::vector<double> cpu;
  std::vector<double> devices_cpu;
  for (int round = 0; round < choice.rounds; ++round) {
    limits.push_back(disk_limit(server.folder(), round));
    if (choice.wanted('a')) {
      const auto before = server.cpu();
      const auto own_before = own_cpu();
      ours.push_back(
          rush(ports, kDevices, kDevices, {Over::kTftp, Over::kFtp, Over::kHttp}, round));
      cpu.push_back((server.cpu() - before) / kDevices);
      devices_cpu.push_back((own_cpu() - own_before) / kDevices);
    }
    if (choice.wanted('b')) {
      mixed.push_back(rush(ports, kDevices, kDevices,
                           {Over::kTftp, Over::kFtp, Over::kHttp, Over::kScp},
                           1000 + round));
      scp.push_back(rush(ports, kScpDevices, kScpAtOnce, {Over::kScp}, 2000 + round));
    }
  }
  const auto limit = median(limits);
  const auto line = [&](const char* what, const std::vector<double>& rates) {
    if (rates.empty()) return;
    report.line(what, rate_of(limit), rate_of(median(rates)),
                fmt::format("{:.2f}", median(rates) / limit));
  };
  line("(a) 2,000 devices at once, 30 kB each, TFTP, FTP and HTTP", ours);
  if (!cpu.empty()) {
    report.line("    processor for one: of the devices, and of the server",
                fmt::format("{:.2f} ms", median(devices_cpu) * 1000),
                fmt::format("{:.2f} ms", median(cpu) * 1000), "");
  }
  line("(b) the same with every fourth over SCP, with log-in", mixed);
  line("    500 devices over SCP alone, with log-in", scp);
}

void comparisons(const Choice& choice, const Report& report) {
  std::string before;
  std::string after;
  std::string shuffled;
  std::vector<std::string> lines;
  std::mt19937 random(5);
  for (int i = 0; i < 50'000; ++i) {
    lines.push_back(fmt::format("{}port {} group {} state {}\n", i % 9 == 0 ? "" : "  ",
                                i / 7, random() % 500, random() % 2));
    before += lines.back();
    // Every hundredth is another one, every two-hundredth is gone.
    if (i % 200 == 3) continue;
    after += i % 100 == 50 ? fmt::format("  changed {}\n", i) : lines.back();
  }
  std::shuffle(lines.begin(), lines.end(), random);
  for (const auto& one : lines) shuffled += one;
  const backup::Treatment treatment;
  const auto mask = [&] {
    return backup::Mask(treatment.secrets(""), [](auto) { return "0"; });
  };
  const auto time = [&](const std::string& other) {
    std::vector<double> times;
    for (int round = 0; round < choice.rounds; ++round) {
      const auto begin = Clock::now();
      const auto compared = backup::compare(before, other, {}, mask(), mask());
      if (compared.same) throw std::runtime_error("they are not the same");
      times.push_back(seconds_since(begin));
    }
    return median(times);
  };
  // The least: every byte is looked at once for its line's end.
  const auto begin = Clock::now();
  std::size_t ends = 0;
  for (const auto* text : {&before, &after}) {
    ends += static_cast<std::size_t>(std::count(text->begin(), text->end(), '\n'));
  }
  const auto least = seconds_since(begin);
  const auto usual = time(after);
  report.line(
      fmt::format("(c) 50,000 lines compared, {} of them changed", 100'000 - ends + 1000),
      ms_of(least), ms_of(usual), fmt::format("{:.3f}", least / usual));
  report.line("    the same lines in no order at all", "", ms_of(time(shuffled)), "");
}

void overview(const Choice& choice, const Report& report) {
  double scan = 0;
  auto begin = Clock::now();
  const RealServer server("", 1 << 20, [&](const std::string& state) {
    scan = make_history(state, {});
    begin = Clock::now();
  });
  const auto start = seconds_since(begin);
  std::vector<double> times;
  for (int round = 0; round < choice.rounds; ++round) {
    begin = Clock::now();
    server.vantro({"backup", "list", "--json"});
    times.push_back(seconds_since(begin));
  }
  const auto ours = median(times);
  report.line("(d) overview of 10,000 devices with 100 revisions each", ms_of(scan),
              ms_of(ours), fmt::format("{:.3f}", scan / ours));
  report.line("    the server's start with these", "", ms_of(start), "");
}

}  // namespace
}  // namespace vantro::bench

int main(int argc, char** argv) {
  using namespace vantro::bench;
  return bench_main(argc, argv, "backups", "abcd", [](const Choice& choice) {
    const Report report(choice.markdown);
    if (choice.wanted('a') || choice.wanted('b')) deposits(choice, report);
    if (choice.wanted('c')) comparisons(choice, report);
    if (choice.wanted('d')) overview(choice, report);
  });
}
