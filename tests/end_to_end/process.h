// Child processes for the end-to-end tests: started, waited for with a bound, ended by
// pid.
#pragma once

#include <chrono>
#include <string>
#include <vector>

namespace vantro::end_to_end {

struct Output {
  int code = -1;  // exit code; 128 + n for signal n
  std::string out;
  std::string err;
};

using Arguments = std::vector<std::string>;
using Environment = std::vector<std::pair<std::string, std::string>>;

class Process {
 public:
  // The child's output goes to the two files. Its standard input reads `in` if that is a
  // file, else nothing.
  Process(const Arguments& arguments, const Environment& environment,
          const std::string& out, const std::string& err, const std::string& in = "",
          const std::string& folder = "");
  // Kills what still runs.
  ~Process();
  Process(const Process&) = delete;
  Process& operator=(const Process&) = delete;

  int pid() const { return pid_; }
  void signal(int number) const;
  bool running();
  // The exit code; after `limit` the child is killed and that is a failure of its own.
  int wait(std::chrono::seconds limit = std::chrono::seconds(120));

 private:
  int pid_ = -1;  // -1: over
  int code_ = -1;
};

// The programs that are driven: those that were built with this, or those of the folder
// that the environment names as VANTRO_PROGRAMS, such as another build's under
// sanitizers.
std::string vantro_program();
std::string look_program();
std::string vantrod_program();

// Runs to the end.
Output run(const Arguments& arguments, const Environment& environment = {},
           const std::string& input = "", const std::string& folder = "",
           std::chrono::seconds limit = std::chrono::seconds(120));

}  // namespace vantro::end_to_end
