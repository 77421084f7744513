#include "crypto/checksum_list.h"

#include <gtest/gtest.h>

namespace vantro::crypto {
namespace {

const std::string kMd5(32, 'a');
const std::string kSha1(40, 'b');
const std::string kSha256(64, 'c');
const std::string kSha512(128, 'd');

// "name algorithm line", one after the other.
std::string read(const std::string& text) {
  const auto list = parse_checksum_list(text);
  if (!list) return "refused: " + list.error().sentence;
  std::string told;
  for (const auto& one : list->checksums) {
    told += "[" + one.name + " " + title(one.expected.algorithm) + " " +
            std::to_string(one.line) + "]";
  }
  return told + (list->ignored == 0 ? "" : " ignored " + std::to_string(list->ignored));
}

TEST(ChecksumList, ReadsEveryForm) {
  EXPECT_EQ(read(kSha256 + "  x.img\n"), "[x.img SHA-256 1]");
  EXPECT_EQ(read(kMd5 + " *x.img"), "[x.img MD5 1]");
  EXPECT_EQ(read(kSha1 + "\tdir/my file.img\r\n"), "[dir/my file.img SHA-1 1]");
  EXPECT_EQ(read("SHA256 (x (1).img) = " + kSha256), "[x (1).img SHA-256 1]");
  EXPECT_EQ(read("SHA2-512(x.img)= " + kSha512),
            "refused: " + std::string("this is not a checksum list: no line has the form "
                                      "'HEX  NAME' or 'SHA256 (NAME) = "
                                      "HEX'"));
  EXPECT_EQ(read("SHA512(x.img)= " + kSha512), "[x.img SHA-512 1]");
  EXPECT_EQ(read(kSha512), "[ SHA-512 1]");
  EXPECT_EQ(read("\xef\xbb\xbf# made by\n; or so\n\n" + kMd5 + "  a\nwhat?\n" +
                 std::string(32, 'A') + "  b"),
            "[a MD5 4][b MD5 6] ignored 1");
  EXPECT_EQ(read("\\" + kMd5 + "  a\\\\b\\nc"), "[a\\b\nc MD5 1]");
}

TEST(ChecksumList, RefusesWhatIsNone) {
  for (const auto& text : {std::string(), std::string("\n\n"), std::string("hello"),
                           kMd5.substr(1) + "  x", std::string("<html></html>")}) {
    EXPECT_EQ(read(text).rfind("refused: this is not a checksum list", 0), 0u) << text;
  }
}

TEST(ChecksumList, FindsAFileByItsLastPartInAnyCase) {
  const auto list = parse_checksum_list(kMd5 + "  ./dir/X.img\n" + kSha256 + "  x.img\n" +
                                        kSha1 + "  y.img\n");
  ASSERT_TRUE(list);
  EXPECT_EQ(list->of("x.img").size(), 2u);
  EXPECT_EQ(list->of("site/x.IMG").size(), 2u);
  EXPECT_EQ(list->of("z.img").size(), 0u);
  EXPECT_EQ(parse_checksum_list(kMd5)->of("z.img").size(), 1u);
  EXPECT_EQ(parse_checksum_list(kMd5 + "\n" + kSha1)->of("z.img").size(), 0u);
}

TEST(ChecksumList, WritesWhatItReads) {
  for (const auto* name : {"x.img", "dir/my file", "back\\slash", "line\nend"}) {
    const auto list = parse_checksum_list(checksum_line(kSha256, name));
    ASSERT_TRUE(list) << name;
    EXPECT_EQ(list->checksums.front().name, name);
  }
}

}  // namespace
}  // namespace vantro::crypto
