#include "db/parameters.h"

#include <gtest/gtest.h>

namespace vantro::db {
namespace {

TEST(Parameters, EachAppearanceGetsANumberAndTheValueOfItsName) {
  const auto done = numbered("select :b from t where a = :a and (b = :b or c >= :c2)");
  EXPECT_EQ(done.sql, "select :p1 from t where a = :p2 and (b = :p3 or c >= :p4)");
  EXPECT_EQ(done.value, (std::vector<std::size_t>{0, 1, 0, 2}));
}

TEST(Parameters, TextInQuotesIsLeftAlone) {
  for (const std::string sql :
       {"select ':a', \":b\"", "select 'it''s :a'", "select a from t where b = ': x'",
        "select ':", "select 1 :", ""}) {
    const auto done = numbered(sql);
    EXPECT_EQ(done.sql, sql);
    EXPECT_TRUE(done.value.empty()) << sql;
  }
}

}  // namespace
}  // namespace vantro::db
