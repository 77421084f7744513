#include "base/http_date.h"

#include <gtest/gtest.h>

namespace vantro::base {
namespace {

TEST(HttpDate, IsReadInItsThreeForms) {
  constexpr WallTime kTime = 784111777000;
  EXPECT_EQ(http_date(kTime), "Sun, 06 Nov 1994 08:49:37 GMT");
  for (const auto* text :
       {"Sun, 06 Nov 1994 08:49:37 GMT", "Sunday, 06-Nov-94 08:49:37 GMT",
        "Sun Nov  6 08:49:37 1994"}) {
    EXPECT_EQ(parse_http_date(text), kTime) << text;
  }
  for (const auto* text :
       {"", "today", "Sun, 06 Nov 1994 08:49:37", "Sun, 32 Nov 1994 08:49:37 GMT",
        "Sun, 06 Now 1994 08:49:37 GMT", "Sun, 06 Nov 1994 24:49:37 GMT",
        "Sun, 06 Nov 1994 08:49:37 CET"}) {
    EXPECT_FALSE(parse_http_date(text)) << text;
  }
}

}  // namespace
}  // namespace vantro::base
