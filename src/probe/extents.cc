#include "probe/extents.h"

#include <algorithm>
#include <cstring>
#include <elf.h>
#include <fmt/format.h>

#include "base/sizes.h"

namespace vantro::probe {
namespace {

void compare_length(Report& report, std::uint64_t wanted, std::uint64_t there) {
  if (there < wanted) {
    report.judge(Verdict::kCutShort,
                 fmt::format("truncated: {} of {} bytes are there, {} are missing", there,
                             wanted, base::size_text(wanted - there)));
    return;
  }
  report.judge(Verdict::kWhole,
               "long enough: the file has everything that its header names; the format "
               "has no check value");
}

// Either byte order.
class Fields {
 public:
  Fields(const base::ByteBuffer& bytes, bool big_endian)
      : bytes_(bytes), big_endian_(big_endian) {}
  std::uint64_t at(std::size_t offset, std::size_t size) const {
    std::uint64_t value = 0;
    for (std::size_t i = 0; i < size; ++i) {
      const auto from = big_endian_ ? offset + i : offset + size - 1 - i;
      value = value << 8 | (from < bytes_.size() ? bytes_[from] : 0);
    }
    return value;
  }

 private:
  const base::ByteBuffer& bytes_;
  bool big_endian_;
};

// The place of a table's parts; `from` and `size` are offsets of fields in an entry.
struct Table {
  std::uint64_t offset, count, entry;
  std::size_t from, size;
  bool of_sections;
};

std::uint64_t saturating_sum(std::uint64_t a, std::uint64_t b) {
  return a > UINT64_MAX - b ? UINT64_MAX : a + b;
}

}  // namespace

std::optional<Report> look_at_elf(const Source& source) {
  const auto head = source.read(0, sizeof(Elf64_Ehdr));
  if (head.size() < EI_NIDENT || std::memcmp(head.data(), ELFMAG, SELFMAG) != 0) {
    return std::nullopt;
  }
  Report report;
  report.kind = "ELF program";
  const bool wide = head[EI_CLASS] == ELFCLASS64;
  const bool big = head[EI_DATA] == ELFDATA2MSB;
  const auto header = wide ? sizeof(Elf64_Ehdr) : sizeof(Elf32_Ehdr);
  if (head.size() < header) {
    compare_length(report, header, source.size());
    return report;
  }
  const Fields fields(head, big);
  const std::size_t word = wide ? 8 : 4;
  const Table segments{fields.at(wide ? 32 : 28, word), fields.at(wide ? 56 : 44, 2),
                       fields.at(wide ? 54 : 42, 2),    wide ? std::size_t{8} : 4,
                       wide ? std::size_t{32} : 16,     false};
  const Table sections{fields.at(wide ? 40 : 32, word), fields.at(wide ? 60 : 48, 2),
                       fields.at(wide ? 58 : 46, 2),    wide ? std::size_t{24} : 16,
                       wide ? std::size_t{32} : 20,     true};
  std::uint64_t end = header;
  for (const auto& table : {segments, sections}) {
    end = std::max(end, saturating_sum(table.offset, table.count * table.entry));
    // At most 65,535 entries of at most 65,535 bytes: read one by one, they stay small.
    for (std::uint64_t i = 0; i < table.count; ++i) {
      const auto at = saturating_sum(table.offset, i * table.entry);
      if (at >= source.size()) break;
      const auto entry = source.read(at, 64);
      const Fields part(entry, big);
      const bool without_bytes = table.of_sections && part.at(4, 4) == SHT_NOBITS;
      if (without_bytes) continue;
      end = std::max(
          end, saturating_sum(part.at(table.from, word), part.at(table.size, word)));
    }
  }
  compare_length(report, end, source.size());
  return report;
}

std::optional<Report> look_at_disc_image(const Source& source) {
  constexpr std::size_t kSector = 2048;
  const auto descriptor = source.read(16 * kSector, kSector);
  if (descriptor.size() < kSector || descriptor[0] != 1 ||
      std::memcmp(descriptor.data() + 1, "CD001", 5) != 0) {
    return std::nullopt;
  }
  Report report;
  report.kind = "ISO 9660 disc image";
  // Both exist in both byte orders; the little-endian one comes first.
  const Fields fields(descriptor, false);
  std::string name(descriptor.begin() + 40, descriptor.begin() + 72);
  name.erase(name.find_last_not_of(' ') + 1);
  if (!name.empty()) report.names.emplace_back("the disc's name", name);
  compare_length(report, fields.at(80, 4) * fields.at(128, 2), source.size());
  return report;
}

}  // namespace vantro::probe
