#include "bench/bench_main.h"

#include <CLI/CLI.hpp>
#include <cstdio>
#include <exception>
#include <sys/resource.h>

#include "bench/own_disk.h"

namespace vantro::bench {
namespace {

constexpr std::uint64_t kOwnDisk = std::uint64_t{12} << 30;

}  // namespace

int bench_main(int argc, char** argv, const std::string& protocol,
               const std::string& parts,
               const std::function<void(const Choice&)>& run) try {
  CLI::App app{"how fast " + protocol + " is, beside what the machine can do"};
  Choice choice;
  choice.only = parts;
  app.add_option("--rounds", choice.rounds, "measurements of each")
      ->check(CLI::Range(1, 100));
  app.add_option("--only", choice.only, "letters of the parts to run");
  app.add_flag("--markdown", choice.markdown, "as a table for a document");
  CLI11_PARSE(app, argc, argv);

  rlimit limit{};
  ::getrlimit(RLIMIT_NOFILE, &limit);
  limit.rlim_cur = limit.rlim_max;
  ::setrlimit(RLIMIT_NOFILE, &limit);
  if (const auto why = use_own_disk(kOwnDisk); !why.empty()) {
    std::fprintf(stderr,
                 "This machine's disk decides as well, not only the programs (%s).\n",
                 why.c_str());
  }
  run(choice);
  return 0;
} catch (const std::exception& error) {
  std::fprintf(stderr, "the bench of %s: %s\n", protocol.c_str(), error.what());
  return 1;
}

}  // namespace vantro::bench
