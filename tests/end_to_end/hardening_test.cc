// The programs as they were linked: what makes a fault in them harder to use.
#include <cstdlib>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "tests/end_to_end/process.h"
#include "tests/end_to_end/server_fixture.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::end_to_end {
namespace {

using testing::HasSubstr;
using testing::Not;

std::string elf(const std::string& program, const char* what) {
  const auto output = run({"readelf", "-W", what, program});
  EXPECT_EQ(output.code, 0) << output.err;
  return output.out;
}

// The line of a program header.
std::string header(const std::string& all, const std::string& name) {
  const auto at = all.find("\n  " + name);
  return at == std::string::npos ? ""
                                 : all.substr(at + 1, all.find('\n', at + 1) - at - 1);
}

TEST(Hardening, TheProgramsAreLinkedForIt) {
  if (std::getenv("VANTRO_PROGRAMS") != nullptr) {
    GTEST_SKIP() << "these are built with a sanitizer, which links in its own way";
  }
  for (const auto& program : {vantrod_program(), vantro_program(), look_program()}) {
    SCOPED_TRACE(program);
    const auto head = elf(program, "-h");
    EXPECT_THAT(head, HasSubstr("DYN (Position-Independent Executable file)"));
    // All addresses are settled at the start, and can't be written afterwards.
    const auto dynamic = elf(program, "-d");
    EXPECT_THAT(dynamic, HasSubstr("BIND_NOW"));
    const auto headers = elf(program, "-l");
    EXPECT_NE(header(headers, "GNU_RELRO"), "");
    EXPECT_THAT(header(headers, "GNU_STACK"), HasSubstr(" RW "));
    EXPECT_THAT(headers, Not(HasSubstr(" RWE ")));
    EXPECT_THAT(dynamic, Not(HasSubstr("(RPATH)")));
    // What was compiled in: jumps land where they may, and nothing is left unset. (The
    // program's notes do not say so, as Debian's own start files have none.)
    const auto compiled = run({"readelf", "-p", ".GCC.command.line", program}).out;
    for (const auto* flag : {"-fstack-protector-strong", "-fstack-clash-protection",
                             "-fcf-protection=full", "-ftrivial-auto-var-init=zero"}) {
      EXPECT_THAT(compiled, HasSubstr(flag));
    }
    // Nothing tells in which folder it was built.
    EXPECT_EQ(fakes::read_file(program).find(VANTRO_SOURCE_DIR), std::string::npos);
    const auto symbols = elf(program, "--dyn-syms");
    EXPECT_THAT(symbols, HasSubstr("__stack_chk_fail"));
#if defined(NDEBUG) && !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
    // Buffers whose size is known are looked at (_FORTIFY_SOURCE).
    if (program != look_program()) {  // which has no such buffer
      EXPECT_THAT(symbols, HasSubstr("_chk@GLIBC"));
    }
#endif
  }
}

// The programs' own record is of one unit each; this is of all of them.
TEST(Hardening, EveryUnitIsCompiledForIt) {
  const auto commands = read_json(
      fakes::read_file(std::string(VANTRO_PROGRAMS_BUILT) + "/../compile_commands.json"));
  const auto folder = std::string(VANTRO_SOURCE_DIR) + "/src/";
  int units = 0;
  for (const auto& unit : commands) {
    const auto file = unit["file"].get<std::string>();
    if (file.rfind(folder, 0) != 0) {
      continue;
    }
    ++units;
    const auto command = unit["command"].get<std::string>();
    for (const auto* flag : {"-fstack-protector-strong", "-fPI", "-D_GLIBCXX_ASSERTIONS",
                             "-D_FORTIFY_SOURCE=2"}) {
#if !defined(NDEBUG)
      // With optimisation only.
      if (std::string_view(flag).starts_with("-D_")) {
        continue;
      }
#endif
      EXPECT_THAT(command, HasSubstr(flag)) << file;
    }
  }
  EXPECT_GT(units, 300);
}

}  // namespace
}  // namespace vantro::end_to_end
