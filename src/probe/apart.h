// The look inside, in a process of its own: it has no rights, little memory and little
// time, and whatever a hostile file does to it ends with it.
#pragma once

#include <functional>
#include <string>

#include "probe/report.h"
#include "probe/source.h"

namespace vantro::probe {

struct Apart {
  // The program whose main() calls child_main() when its first argument is
  // kChildArgument.
  std::string program;
  base::Duration time = std::chrono::seconds(60);
  base::Duration grace = std::chrono::seconds(5);  // then it is ended
};

inline constexpr const char* kChildArgument = "--look-inside";

// Waits until the child has ended, a little longer than `time` at most. Never refuses: a
// child that crashed or was stopped is a finding. `fd` is a regular file; the child gets
// a copy of it. `stop` is asked ten times a second, and with true the child is ended;
// none: nobody stops it. Thread-safe.
Report look_apart(const Apart& apart, int fd, std::uint64_t size,
                  const std::function<bool()>& stop = {});

// In the child: looks into standard input, writes the report to standard output, and
// gives the exit code. `seconds` is the second argument.
int child_main(const std::string& seconds);

}  // namespace vantro::probe
