#include "daemon/look_program.h"

#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <system_error>

namespace vantro::daemon {

LookProgram LookProgram::find() {
  constexpr auto kName = "vantro-look";
  LookProgram found;
  std::error_code unknown;
  const auto folder =
      std::filesystem::read_symlink("/proc/self/exe", unknown).parent_path();
  const auto installed = folder.parent_path() / "lib" / "vantro" / kName;
  for (const auto& one : {folder / kName, installed}) {
    found.held_.reset(::open(one.c_str(), O_PATH | O_CLOEXEC));
    if (!found.held_) continue;
    found.path_ = fmt::format("/proc/self/fd/{}", found.held_.get());
    return found;
  }
  found.path_ = installed.string();
  found.trouble_ = fmt::format(
      "no file is looked into: {} is missing; install the package again", found.path_);
  return found;
}

}  // namespace vantro::daemon
