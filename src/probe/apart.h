// The look inside, in a process of its own: it has no rights, little memory and little
// time, and a hostile file can damage only that process.
#pragma once

#include <functional>
#include <string>

#include "base/bytes.h"
#include "base/outcome.h"
#include "probe/report.h"
#include "probe/source.h"

namespace vantro::probe {

struct Apart {
  // vantro-look, whose main() calls child_main() and take_out_main().
  std::string program;
  base::Duration time = std::chrono::seconds(60);
  base::Duration grace = std::chrono::seconds(5);  // then it is ended
};

// Why files are not looked into on such a machine.
inline constexpr const char* kCannotConfine =
    "this machine's kernel can't confine a process that reads hostile files (it needs "
    "seccomp and Landlock)";

inline constexpr const char* kChildArgument = "--look-inside";

// The caller that waits for a look. Both are called about ten times a second, on the
// waiting thread, and may be empty.
struct Onlooker {
  std::function<bool()> stop;                    // true ends the look
  std::function<void(std::uint64_t)> have_read;  // so many bytes of the file so far
};

// Waits until the child has ended, a little longer than `time` at most. Never refuses: a
// child that crashed or was stopped is a finding. `fd` is a regular file; the child gets
// a copy of it. Thread-safe.
Report look_apart(const Apart& apart, int fd, std::uint64_t size,
                  const Onlooker& onlooker = {});

inline constexpr const char* kTakeOutArgument = "--take-out-member";

// Extracts a member of an archive in the same way: a process without rights unpacks it.
// kNotFound: the archive has no such member; kCorrupt: it ends early, or takes longer
// than is allowed; else the refusal of `take`.
base::Outcome<void> take_out_apart(
    const Apart& apart, int fd, const std::string& path,
    const std::function<base::Outcome<void>(base::ByteView)>& take);

// In the child: looks into standard input, writes its progress and then the report to
// standard output, and returns the exit code. `seconds` is the second argument.
int child_main(const std::string& seconds);
// The same for take_out_apart().
int take_out_main(const std::string& seconds, const std::string& path);

}  // namespace vantro::probe
