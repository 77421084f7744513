#include "base/wildcard.h"

#include <gtest/gtest.h>
#include <string>

namespace vantro::base {
namespace {

TEST(Wildcard, FitsWholeNames) {
  EXPECT_TRUE(fits_wildcards("*.img", "pump.img"));
  EXPECT_FALSE(fits_wildcards("*.img", "pump.img.sha256"));
  EXPECT_TRUE(fits_wildcards("p??p*", "pump"));
  EXPECT_TRUE(fits_wildcards("*", ""));
  EXPECT_FALSE(fits_wildcards("?", ""));
  EXPECT_TRUE(fits_wildcards("a*b*c", "a-b-b-c"));
  EXPECT_FALSE(fits_wildcards("a*b*c", "a-b-b-"));
  // One that others take years for.
  const std::string many(200, '*');
  EXPECT_FALSE(fits_wildcards(many + "b", std::string(200, 'a')));
  EXPECT_TRUE(has_wildcard("a?"));
  EXPECT_FALSE(has_wildcard("a[1]"));
}

}  // namespace
}  // namespace vantro::base
