// What the benches' programs have in common: options, descriptors, a file system of their
// own, errors.
#pragma once

#include <functional>
#include <string>

namespace vantro::bench {

struct Choice {
  int rounds = 7;
  std::string only;  // letters of the parts to run
  bool markdown = false;

  bool wanted(char part) const { return only.find(part) != std::string::npos; }
};

// The exit code. `protocol` as it is told to people, `parts` the letters that there are.
int bench_main(int argc, char** argv, const std::string& protocol,
               const std::string& parts, const std::function<void(const Choice&)>& run);

}  // namespace vantro::bench
