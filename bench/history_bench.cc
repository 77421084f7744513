// How much memory the server takes after years: a million revisions of 10,000 devices,
// each with contents of its own, and ten million rows of the ledger.
//
//   vantro-bench-history [--only LETTERS] [--markdown]
//
//   a  the start; then one question after the other
//   b  the same questions at once
//
// The limit is 200 MiB; what is told is the most that was in memory at once, the
// program's own bytes among it. Takes some minutes and 8 GiB of disk.
#include <chrono>
#include <fmt/format.h>
#include <string>
#include <thread>
#include <vector>

#include "bench/bench_main.h"
#include "bench/history.h"
#include "bench/real_server.h"

namespace vantro::bench {
namespace {

using Clock = std::chrono::steady_clock;

constexpr double kLimit = 200 * kMiB;

double seconds_since(Clock::time_point begin) {
  return std::chrono::duration<double>(Clock::now() - begin).count();
}

std::string size_of(double bytes) { return fmt::format("{:.0f} MiB", bytes / kMiB); }

const std::vector<std::vector<std::string>>& questions() {
  static const std::vector<std::vector<std::string>> all{
      {"status"},
      {"backup", "list", "--json"},
      {"backup", "revisions", "--json"},
      {"backup", "revisions", "device-00001", "--json"},
      {"backup", "overdue", "--json"},
      {"backup", "report", "--from", "5d"},
      {"backup", "thin", "--dry-run"},
      {"device", "list", "--json"},
      {"contact", "--json"},
      {"contact", address_of_device(1)},
      {"ledger", "--limit", "10000", "--json"},
      {"ledger", "--device", "device-00001", "--limit", "10000", "--json"},
      {"unrecorded", "list"},
      {"verify", "--rate", "1MiB", "--start-only"}};
  return all;
}

void ask(const RealServer& server, const std::vector<std::string>& question) {
  // Exit code 5: not found; 8: backups are overdue.
  server.vantro(question, "", {5, 8});
}

void run(const Choice& choice) {
  const Report report(choice.markdown);
  const auto line = [&](const std::string& what, double seconds, double peak) {
    report.line(fmt::format("{} ({:.1f} s)", what, seconds), size_of(kLimit),
                size_of(peak), fmt::format("{:.2f}", peak / kLimit));
  };
  History history;
  history.size = 3000;
  history.own_contents = true;
  history.ledger_rows = 10'000'000;
  auto begin = Clock::now();
  const RealServer server(
      "[backups.keep]\nconfigurations = { all_days = 30, weekly_days = 60, monthly_days "
      "= 0, at_least = 10 }\n",
      1 << 20, [&](const std::string& state) {
        make_history(state, history);
        begin = Clock::now();
      });
  line("the start", seconds_since(begin), server.peak_memory());
  if (choice.wanted('a')) {
    for (const auto& question : questions()) {
      server.forget_peak();
      begin = Clock::now();
      ask(server, question);
      line(fmt::format("(a) vantro {}", fmt::join(question, " ")), seconds_since(begin),
           server.peak_memory());
    }
  }
  if (choice.wanted('b')) {
    server.forget_peak();
    begin = Clock::now();
    std::vector<std::thread> threads;
    for (const auto& question : questions()) {
      if (question.front() == "verify") continue;
      threads.emplace_back([&] { ask(server, question); });
    }
    for (auto& one : threads) one.join();
    line("(b) all of these at once", seconds_since(begin), server.peak_memory());
  }
}

}  // namespace
}  // namespace vantro::bench

int main(int argc, char** argv) {
  using namespace vantro::bench;
  return bench_main(argc, argv, "a long history", "ab", run);
}
