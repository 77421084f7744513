#include "text/nearest.h"

#include <gtest/gtest.h>

namespace vantro::text {
namespace {

const std::vector<std::string> kNames{
    "causeway4-boot-2.1.0.img", "causeway4-system-7.4.2.img",
    "causeway4-system-7.6.0.img", "fixed/recovery.img", "lattice24-system-3.10.1.img"};

TEST(Slips, CountsInsertionsDeletionsReplacementsAndSwaps) {
  EXPECT_EQ(slips("system", "system", 5), 0u);
  EXPECT_EQ(slips("system", "SYSTEM", 5), 0u);
  EXPECT_EQ(slips("sytsem", "system", 5), 1u);
  EXPECT_EQ(slips("systm", "system", 5), 1u);
  EXPECT_EQ(slips("", "abc", 5), 3u);
  EXPECT_EQ(slips("kitten", "sitting", 5), 3u);
  EXPECT_EQ(slips("abcdef", "uvwxyz", 3), 4u);  // more than the limit
}

TEST(Nearest, NamesWhatWasMeant) {
  const auto of = [](const char* asked) {
    return nearest(asked, kNames).value_or("none");
  };
  EXPECT_EQ(of("causeway4-sytsem-7.6.0.img"), "causeway4-system-7.6.0.img");
  EXPECT_EQ(of("causeway4-system-7.4.2"), "causeway4-system-7.4.2.img");
  EXPECT_EQ(of("lattice24-system-3.1O.1.img"), "lattice24-system-3.10.1.img");
  EXPECT_EQ(of("causeway4-system-7.5.0.img"), "causeway4-system-7.6.0.img");
  EXPECT_EQ(of("recovery.img"), "fixed/recovery.img");
  EXPECT_EQ(of("images/lattice24-system-3.10.1.img"), "lattice24-system-3.10.1.img");
  EXPECT_EQ(of("lattice24"), "lattice24-system-3.10.1.img");
}

TEST(Nearest, SaysNothingRatherThanSomethingFarOff) {
  EXPECT_EQ(nearest("zzz", kNames), std::nullopt);
  EXPECT_EQ(nearest("running-config", kNames), std::nullopt);
  EXPECT_EQ(nearest("x", {}), std::nullopt);
}

}  // namespace
}  // namespace vantro::text
