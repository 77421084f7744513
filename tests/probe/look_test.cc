#include "probe/look.h"

#include <fcntl.h>
#include <fstream>
#include <gtest/gtest.h>
#include <iterator>
#include <sys/mman.h>
#include <unistd.h>

#include "base/unique_fd.h"
#include "tests/probe/samples.h"

namespace vantro::probe {
namespace {

using samples::archive;
using samples::compressed;

Report look(const std::string& bytes, const Limits& limits = {}) {
  const base::UniqueFd fd(::memfd_create("sample", MFD_CLOEXEC));
  EXPECT_EQ(::write(fd.get(), bytes.data(), bytes.size()),
            static_cast<ssize_t>(bytes.size()));
  return look_inside(Source(fd.get(), bytes.size(), limits));
}

std::string told(const Report& report) {
  std::string text = report.kind + ": " + word(report.verdict);
  for (const auto& finding : report.findings) text += " | " + finding;
  return text;
}

struct Sample {
  const char* what;
  std::string bytes;
  std::string kind;
  // Whether a file that ends anywhere is known to be cut. Of an ISO image only its first
  // half can be, where the other is filled up.
  std::size_t shortest_unknown = SIZE_MAX;
};

std::vector<Sample> all_samples() {
  const std::vector<std::pair<std::string, std::string>> members{
      {"fw/main.bin", samples::noise(3000)}, {"README.txt", "notes\n"}};
  return {
      {"gzip", compressed("gzip", samples::noise(2000)), "gzip"},
      {"xz", compressed("xz", samples::noise(2000)), "xz"},
      {"bzip2", compressed("bzip2", samples::noise(2000)), "bzip2"},
      {"zstd", compressed("zstd", samples::noise(2000)), "zstd"},
      {"tar", archive("ustar", "none", members), "tar archive"},
      {"tar.gz", archive("ustar", "gzip", members), "tar archive in gzip"},
      {"tar.xz", archive("ustar", "xz", members), "tar archive in xz"},
      {"cpio.gz", archive("newc", "gzip", members), "cpio archive in gzip"},
      {"zip", archive("zip", "none", members), "zip archive"},
      {"boot image", samples::boot_image("causeway4-boot-2.1.0", samples::noise(1500)),
       "boot image"},
      {"image tree", samples::image_tree("causeway4 kernel", samples::noise(1500)),
       "flattened image tree"},
      {"disc image", archive("iso9660", "none", members), "ISO 9660 disc image"},
  };
}

TEST(LookInside, FindsSoundFilesWhole) {
  for (const auto& sample : all_samples()) {
    const auto report = look(sample.bytes);
    EXPECT_EQ(report.kind, sample.kind) << sample.what;
    EXPECT_EQ(report.verdict, Verdict::kWhole) << sample.what << ": " << told(report);
  }
}

TEST(LookInside, NeverCallsACutFileWholeWhereverItIsCut) {
  for (const auto& sample : all_samples()) {
    const bool disc = sample.kind == "ISO 9660 disc image";
    // An ISO image has 32 KiB of nothing in front; and is long, so not each length.
    const std::size_t step = disc ? 997 : sample.bytes.size() > 8000 ? 13 : 1;
    for (std::size_t size = 1; size < sample.bytes.size(); size += step) {
      const auto report = look(sample.bytes.substr(0, size));
      EXPECT_NE(report.verdict, Verdict::kWhole)
          << sample.what << " cut at " << size << " of " << sample.bytes.size() << ": "
          << told(report);
      if (report.verdict != Verdict::kUnknown) {
        EXPECT_FALSE(report.findings.empty());
      }
    }
  }
}

// One byte after the other is another one. Whatever has check values must notice where
// they cover it; names, times and padding are not covered everywhere.
TEST(LookInside, NoticesDamage) {
  for (const auto& sample : all_samples()) {
    if (sample.kind == "ISO 9660 disc image") continue;  // no check values at all
    std::size_t unnoticed = 0;
    std::size_t tried = 0;
    const std::size_t step = sample.bytes.size() > 8000 ? 13 : 1;
    for (std::size_t at = 0; at < sample.bytes.size(); at += step) {
      auto bytes = sample.bytes;
      bytes[at] = static_cast<char>(bytes[at] ^ 0x41);
      ++tried;
      if (look(bytes).verdict == Verdict::kWhole) ++unnoticed;
    }
    const bool whole_stream = sample.kind == "gzip" || sample.kind == "xz" ||
                              sample.kind == "bzip2" || sample.kind == "zstd" ||
                              sample.kind == "boot image";
    // gzip's own header (time, name) has no check value; tar has none for its bytes.
    const auto allowed = whole_stream                   ? 24
                         : sample.kind == "tar archive" ? tried
                                                        : tried / 4;
    EXPECT_LE(unnoticed, allowed) << sample.what << ", of " << tried;
  }
}

TEST(LookInside, ListsMembersAndNamesThatTheFileGivesItself) {
  const auto tar = look(archive("ustar", "gzip", {{"a/b.bin", "12345"}, {"c", ""}}));
  ASSERT_EQ(tar.members.size(), 2u);
  EXPECT_EQ(tar.members_in_all, 2u);
  EXPECT_EQ(tar.members[0].path, "a/b.bin");
  EXPECT_EQ(tar.members[0].size, 5u);
  const auto boot = look(samples::boot_image("causeway4-boot-2.1.0.img", "data"));
  ASSERT_EQ(boot.names.size(), 1u);
  EXPECT_EQ(boot.names[0].first, "the boot header's name");
  EXPECT_EQ(boot.names[0].second, "causeway4-boot-2.1.0.img");
  const auto tree = look(samples::image_tree("causeway4 kernel", "data"));
  ASSERT_EQ(tree.members.size(), 1u);
  EXPECT_EQ(tree.names[0].second, "causeway4 kernel");
}

TEST(LookInside, SaysHowMuchIsMissingWhereTheFileKnows) {
  const auto boot = samples::boot_image("x", samples::noise(5000));
  EXPECT_EQ(
      told(look(boot.substr(0, 3000))),
      "boot image: cut-short | truncated: 3000 of 5064 bytes are there, 2.0 KiB are "
      "missing");
  EXPECT_EQ(
      told(look(boot + "more")),
      "boot image: whole | whole: the CRCs of header and data match | 4 B after its end");
  const auto gzip = compressed("gzip", samples::noise(5000));
  EXPECT_EQ(
      told(look(gzip.substr(0, gzip.size() - 3))),
      "gzip: cut-short | truncated: the gzip stream ends after 4.9 KiB unpacked, in "
      "the middle");
  EXPECT_EQ(look(gzip + gzip).verdict, Verdict::kWhole);
  EXPECT_EQ(look(gzip + std::string(100, '\0')).verdict, Verdict::kWhole);
  EXPECT_EQ(told(look(gzip + "trailing")),
            "gzip: unknown | other bytes follow after the gzip stream's end");
}

TEST(LookInside, SaysWhereThereIsNothingToCheck) {
  EXPECT_EQ(told(look(archive("raw", "zstd", {{"data", samples::noise(5000)}}))),
            "zstd: whole | whole: unpacks to 4.9 KiB, all check values match | it was "
            "packed without a check value, so damage may go unnoticed");
}

TEST(LookInside, FindsATarCutAtAMembersBorder) {
  const auto tar = archive("ustar", "none", {{"a", "12345"}, {"b", "67890"}});
  EXPECT_EQ(told(look(tar.substr(0, 1024))),
            "tar archive: cut-short | truncated: the two empty blocks that end a tar "
            "archive are missing; members may be missing, too");
}

TEST(LookInside, ComparesAProgramsExtentsWithItsLength) {
  std::ifstream in("/proc/self/exe", std::ios::binary);
  const std::string program{std::istreambuf_iterator<char>(in), {}};
  EXPECT_EQ(look(program).verdict, Verdict::kWhole);
  const auto cut = look(program.substr(0, program.size() - 1000));
  EXPECT_EQ(cut.kind, "ELF program");
  EXPECT_EQ(cut.verdict, Verdict::kCutShort);
  EXPECT_EQ(look(program.substr(0, 30)).verdict, Verdict::kCutShort);
}

TEST(LookInside, SaysThatItKnowsNothingOfOtherFiles) {
  EXPECT_EQ(told(look("just text")),
            ": unknown | nothing inside that could be checked: unknown format");
}

TEST(LookInside, KeepsToItsLimits) {
  const auto bomb = compressed("gzip", std::string(4 << 20, '\0'));
  Limits small;
  small.expanded = 1 << 20;
  EXPECT_EQ(told(look(bomb, small)),
            "gzip: unknown | not read to its end: unpacked it is larger than 1.0 MiB");
  Limits hurried;
  hurried.time = std::chrono::seconds(0);
  EXPECT_EQ(told(look(bomb, hurried)).find("damaged"), std::string::npos);
  EXPECT_EQ(look(bomb, hurried).verdict, Verdict::kUnknown);
}

TEST(Report, SurvivesTheWayToAnotherProcess) {
  Report report;
  report.kind = "tar archive";
  report.judge(Verdict::kCutShort, "truncated: here");
  report.judge(Verdict::kWhole, "and a\nline end");
  report.members = {{"a b", 5}, {"c", 0}};
  report.members_in_all = 7;
  report.names = {{"the header", "x y"}, {"empty", ""}};
  const auto back = decode(encode(report));
  ASSERT_TRUE(back) << back.error().sentence;
  EXPECT_EQ(encode(*back), encode(report));
  EXPECT_EQ(back->verdict, Verdict::kCutShort);
  EXPECT_EQ(back->members[0].path, "a b");
  const auto text = encode(report);
  for (std::size_t size = 0; size < text.size(); ++size) {
    EXPECT_FALSE(decode(text.substr(0, size))) << size;
  }
  EXPECT_FALSE(decode("nonsense\nend\n"));
}

}  // namespace
}  // namespace vantro::probe
