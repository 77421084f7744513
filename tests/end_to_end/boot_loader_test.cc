// A boot loader, the kind of client that this server is for, in an emulator.
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <unistd.h>
#include <zlib.h>

#include "tests/end_to_end/process.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::end_to_end {
namespace {

std::string crc32_of(const std::string& bytes) {
  const auto* data = reinterpret_cast<const Bytef*>(bytes.data());
  return fmt::format("{:08x}", ::crc32(0, data, static_cast<uInt>(bytes.size())));
}

TEST(BootLoader, FetchesEverySizeWithAndWithoutWindows) {
  Arguments command{"unshare", "--net"};
  if (::geteuid() != 0)
    command.insert(command.begin() + 1, {"--user", "--map-root-user"});
  auto probe = command;
  probe.insert(probe.end(), {"ip", "tuntap", "add", "tap0", "mode", "tap"});
  if (const auto allowed = run(probe); allowed.code != 0) {
    GTEST_SKIP() << "no network namespace with a tap device here: " << allowed.err;
  }
  const fakes::ScratchFolder scratch;
  std::filesystem::create_directory(scratch / "images");
  std::string keys = "setenv ipaddr 192.0.2.2\nsetenv serverip 192.0.2.1\n";
  std::vector<std::string> sums;
  // Around its block of 1468 bytes, and some thousand blocks.
  const std::pair<std::size_t, int> cases[] = {
      {1, 1},    {1467, 1},    {1468, 1},      {1469, 1},
      {2936, 8}, {100'000, 8}, {5'000'001, 1}, {5'000'001, 16}};
  for (const auto& [size, window] : cases) {
    const auto name = fmt::format("image-{}.img", size);
    const auto bytes = fakes::noise(size, static_cast<unsigned>(size));
    fakes::write_file(scratch / "images/" + name, bytes);
    keys += fmt::format(
        "setenv tftpwindowsize {}\nmw 0x42000000 0 0x180000\ntftpboot 0x42000000 {}\n"
        "crc32 0x42000000 0x{:x}\n",
        window, name, size);
    sums.push_back(crc32_of(bytes));
  }
  keys += "tftpboot 0x42000000 imaeg-1467.img\n";
  command.insert(command.end(),
                 {VANTRO_SOURCE_DIR "/tests/end_to_end/boot_loader.sh", vantrod_program(),
                  vantro_program(), scratch / "images"});
  const auto output = run(command, {}, keys);
  ASSERT_EQ(output.code, 0) << output.err << output.out;
  std::size_t at = 0;
  for (const auto& sum : sums) {
    const auto found = output.out.find("==> " + sum, at);
    ASSERT_NE(found, std::string::npos) << "no fetch with checksum " << sum << "\n"
                                        << output.out;
    at = found + 1;
  }
  EXPECT_NE(
      output.out.find("'imaeg-1467.img' is not on offer; nearest: 'image-1467.img'"),
      std::string::npos)
      << "the refusal is not on the device's console\n"
      << output.out;
  EXPECT_NE(output.out.find("192.0.2.1:69 on tap0"), std::string::npos);
}

}  // namespace
}  // namespace vantro::end_to_end
