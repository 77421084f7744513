#include "tests/end_to_end/process.h"

#include <cstdlib>
#include <fcntl.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/prctl.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

#include "tests/fakes/scratch_folder.h"

namespace vantro::end_to_end {
namespace {

void redirect(const std::string& file, int flags, int to) {
  const int fd = ::open(file.empty() ? "/dev/null" : file.c_str(), flags, 0600);
  if (fd < 0) ::_exit(126);
  ::dup2(fd, to);
  ::close(fd);
}

std::string program(const char* name) {
  const char* folder = std::getenv("VANTRO_PROGRAMS");
  return std::string(folder == nullptr ? VANTRO_PROGRAMS_BUILT : folder) + "/" + name;
}

}  // namespace

std::string vantro_program() { return program("vantro"); }
std::string look_program() { return program("vantro-look"); }
std::string vantrod_program() { return program("vantrod"); }

Process::Process(const Arguments& arguments, const Environment& environment,
                 const std::string& out, const std::string& err, const std::string& in,
                 const std::string& folder) {
  std::vector<char*> argv;
  for (const auto& argument : arguments)
    argv.push_back(const_cast<char*>(argument.c_str()));
  argv.push_back(nullptr);
  pid_ = ::fork();
  if (pid_ != 0) return;
  // A test that crashes must not leave a server behind.
  ::prctl(PR_SET_PDEATHSIG, SIGKILL);
  if (!folder.empty() && ::chdir(folder.c_str()) != 0) ::_exit(126);
  redirect(in, O_RDONLY, STDIN_FILENO);
  redirect(out, O_WRONLY | O_CREAT | O_TRUNC, STDOUT_FILENO);
  redirect(err, O_WRONLY | O_CREAT | O_TRUNC, STDERR_FILENO);
  for (const auto& [name, value] : environment) ::setenv(name.c_str(), value.c_str(), 1);
  ::execvp(argv[0], argv.data());
  ::_exit(127);
}

Process::~Process() {
  if (!running()) return;
  signal(SIGKILL);
  ::waitpid(pid_, nullptr, 0);
}

void Process::signal(int number) const {
  if (pid_ > 0) ::kill(pid_, number);
}

bool Process::running() {
  if (pid_ < 0) return false;
  int status = 0;
  if (::waitpid(pid_, &status, WNOHANG) == 0) return true;
  code_ = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
  pid_ = -1;
  return false;
}

int Process::wait(std::chrono::seconds limit) {
  const auto until = std::chrono::steady_clock::now() + limit;
  while (running()) {
    if (std::chrono::steady_clock::now() >= until) {
      ADD_FAILURE() << "a child did not end in " << limit.count() << " s";
      signal(SIGKILL);
      ::waitpid(pid_, nullptr, 0);
      pid_ = -1;
      return -1;
    }
    std::this_thread::sleep_for(std::chrono::milliseconds(2));
  }
  return code_;
}

Output run(const Arguments& arguments, const Environment& environment,
           const std::string& input, const std::string& folder,
           std::chrono::seconds limit) {
  const fakes::ScratchFolder scratch;
  if (!input.empty()) fakes::write_file(scratch / "in", input);
  Process process(arguments, environment, scratch / "out", scratch / "err",
                  input.empty() ? "" : scratch / "in", folder);
  Output output;
  output.code = process.wait(limit);
  output.out = fakes::read_file(scratch / "out");
  output.err = fakes::read_file(scratch / "err");
  return output;
}

}  // namespace vantro::end_to_end
