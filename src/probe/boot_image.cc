#include "probe/boot_image.h"

#include <algorithm>
#include <fmt/format.h>
#include <string>
#include <zlib.h>

#include "base/sizes.h"

namespace vantro::probe {
namespace {

constexpr std::uint32_t kMagic = 0x27051956;
constexpr std::size_t kHeader = 64;

std::uint32_t word_at(const base::ByteBuffer& bytes, std::size_t at) {
  return static_cast<std::uint32_t>(bytes[at]) << 24 |
         static_cast<std::uint32_t>(bytes[at + 1]) << 16 |
         static_cast<std::uint32_t>(bytes[at + 2]) << 8 | bytes[at + 3];
}

}  // namespace

std::optional<Report> look_at_boot_image(const Source& source) {
  auto header = source.read(0, kHeader);
  if (header.size() < 4 || word_at(header, 0) != kMagic) return std::nullopt;
  Report report;
  report.kind = "boot image";
  if (header.size() < kHeader) {
    report.judge(Verdict::kCutShort,
                 fmt::format("truncated: {} of the 64 bytes of its header are there",
                             header.size()));
    return report;
  }
  const auto name_end = std::find(header.begin() + 32, header.end(), 0);
  const std::string name(header.begin() + 32, name_end);
  if (!name.empty()) report.names.emplace_back("the boot header's name", name);
  const auto header_crc = word_at(header, 4);
  const auto data_size = word_at(header, 12);
  const auto data_crc = word_at(header, 24);
  std::fill_n(header.begin() + 4, 4, 0);
  if (::crc32(0, header.data(), kHeader) != header_crc) {
    report.judge(Verdict::kDamaged, "damaged: the header's CRC is wrong");
    return report;
  }
  const auto whole = kHeader + std::uint64_t{data_size};
  if (source.size() < whole) {
    report.judge(
        Verdict::kCutShort,
        fmt::format("truncated: {} of {} bytes are there, {} are missing", source.size(),
                    whole, base::size_text(whole - source.size())));
    return report;
  }
  const auto crc = source.crc32(kHeader, data_size);
  if (!crc) {
    report.say(kOutOfTime);
  } else if (*crc != data_crc) {
    report.judge(Verdict::kDamaged, "damaged: the CRC of the data is wrong");
  } else {
    report.judge(Verdict::kWhole, "whole: the CRCs of header and data match");
  }
  if (source.size() > whole) {
    report.say(fmt::format("{} after its end", base::size_text(source.size() - whole)));
  }
  return report;
}

}  // namespace vantro::probe
