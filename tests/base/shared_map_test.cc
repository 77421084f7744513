#include "base/shared_map.h"

#include <gtest/gtest.h>
#include <map>
#include <random>
#include <string>

namespace vantro::base {
namespace {

using Map = SharedMap<std::string, int>;

std::map<std::string, int> contents(const Map& map) {
  std::map<std::string, int> result;
  std::string last;
  map.each([&](const std::string& key, int value) {
    EXPECT_TRUE(result.empty() || last < key);
    last = key;
    result.emplace(key, value);
  });
  EXPECT_EQ(result.size(), map.size());
  return result;
}

TEST(SharedMap, IsEmptyAtFirst) {
  Map map;
  EXPECT_TRUE(map.empty());
  EXPECT_EQ(map.find("x"), nullptr);
  map.erase("x");
  EXPECT_TRUE(contents(map).empty());
}

TEST(SharedMap, TakesEntriesInAnyOrderAndTheFirstOfEqualKeys) {
  const Map map({{"b", 1}, {"a", 2}, {"b", 3}});
  EXPECT_EQ(contents(map), (std::map<std::string, int>{{"a", 2}, {"b", 1}}));
}

// Against a std::map, through every size up to some leaves and back to none; copies that
// were made on the way stay as they were.
TEST(SharedMap, DoesAsAMapDoesAndLeavesItsCopiesAlone) {
  std::mt19937 random(20261127);
  Map map;
  std::map<std::string, int> model;
  std::vector<std::pair<Map, std::map<std::string, int>>> copies;
  const auto key = [&] { return std::to_string(random() % 3000); };
  for (int i = 0; i < 20'000; ++i) {
    // It grows at first, and shrinks in the end.
    const bool add = i < 8000 ? random() % 4 != 0 : random() % 8 == 0;
    const auto k = key();
    if (add) {
      map.set(k, i);
      model[k] = i;
    } else {
      map.erase(k);
      model.erase(k);
    }
    const auto* found = map.find(k);
    ASSERT_EQ(found != nullptr, add);
    if (found != nullptr) {
      ASSERT_EQ(*found, i);
    }
    if (i % 1000 == 0) copies.emplace_back(map, model);
  }
  EXPECT_EQ(contents(map), model);
  for (const auto& [copy, then] : copies) EXPECT_EQ(contents(copy), then);
  while (!model.empty()) {
    const auto k = model.begin()->first;
    map.erase(k);
    model.erase(k);
  }
  EXPECT_TRUE(contents(map).empty());
}

}  // namespace
}  // namespace vantro::base
