// What is asked, in paths and queries: there and back.
#include "api/target.h"

#include <gtest/gtest.h>

#include "api/operations.h"

namespace vantro::api {
namespace {

std::optional<std::string> no_nearest(std::string_view, const std::vector<std::string>&) {
  return std::nullopt;
}

// What was asked at a target, as JSON; or what is wrong with it.
template <class A, class B, class R>
std::string asked(const Operation<A, B, R>& operation, std::string_view target) {
  const auto question = target.find('?');
  auto values = fit(operation.path, target.substr(0, question));
  if (!values) return values.error().sentence;
  if (!*values) return "another path";
  if (question != std::string_view::npos) {
    auto query = parse_query(target.substr(question + 1));
    if (!query) return query.error().sentence;
    (*values)->merge(*query);
  }
  A what;
  const auto read = read_asked(**values, shape_of<A>(), &what, no_nearest);
  return read ? json_of(what) : read.error().sentence;
}

TEST(Target, HasPathAndQueryOfWhatIsAsked) {
  EXPECT_EQ(kStatus.target(), "/v1/status");
  EXPECT_EQ(kBackup.target({"192.0.2.7", "site/x y.cfg", 2}),
            "/v1/backups/192.0.2.7/site%2Fx%20y.cfg?revision=2");
  // Programs would take them as steps.
  EXPECT_EQ(kImage.target({".."}), "/v1/images/%2E%2E");
  // A default goes without saying.
  EXPECT_EQ(kBackupText.target({"a", "b", {}, "masked"}), "/v1/backups/a/b/text");
  EXPECT_EQ(kBackupText.target({"a", "b", {}, "shown"}),
            "/v1/backups/a/b/text?secrets=shown");
}

TEST(Target, ComesBackAsItWasAsked) {
  ImageGiven given;
  given.name = "north/{version}.img";
  given.expect = {"sha256:ab", "md5:cd"};
  given.vouch = false;
  given.fact = {{"version", "7.6.0"}, {"remarks", "a&b=c"}};
  EXPECT_EQ(asked(kAddImage, kAddImage.target(given)), json_of(given));
  const CompareAsked compare{"a", "", 3, {}, "b", "c d", 0, "shown"};
  EXPECT_EQ(asked(kCompareBackups, kCompareBackups.target(compare)), json_of(compare));
  ImageFilter filter;
  filter.version = ">=7.6";
  filter.offered = false;
  filter.limit = 5;
  EXPECT_EQ(asked(kImages, kImages.target(filter)), json_of(filter));
}

TEST(Target, SaysWhatIsWrongWithIt) {
  EXPECT_EQ(asked(kLedger, "/v1/ledger?limit=0"), "limit: '0' is not a number from 1 up");
  EXPECT_EQ(asked(kBackupOverview, "/v1/backup-overview?days=x"),
            "days: 'x' is not a number from 1 to 3650");
  EXPECT_EQ(asked(kImages, "/v1/images?newest=yes"),
            "newest: 'yes' is not true or false");
  EXPECT_EQ(asked(kChecksums, "/v1/checksums?algorithm=crc"),
            "algorithm: 'crc' is not one of md5, sha1, sha256, sha512");
  EXPECT_EQ(asked(kLocations, "/v1/locations?for=192.0.2.7"),
            "the query parameter 'image' is missing: an image, or a name on offer");
  EXPECT_EQ(
      asked(kLedger, "/v1/ledger?who=pump"),
      "unknown query parameter 'who'; known: limit, before, whose, by, from, until, "
      "event, name, outcome, sha256, request, mirror");
  EXPECT_EQ(asked(kStatus, "/v1/status?x=1"),
            "unknown query parameter 'x'; there are none");
  EXPECT_EQ(asked(kImage, "/v1/images/a%2"),
            "a '%' in the address is not followed by two digits");
  EXPECT_EQ(asked(kImage, "/v1/images"), "another path");
  // An empty value is none.
  EXPECT_EQ(
      asked(kLedger, "/v1/ledger?limit=&whose="),
      R"({"before":null,"by":"","event":"","from":"","limit":null,"mirror":"","name":"","outcome":"","request":"","sha256":"","until":"","whose":""})");
}

TEST(Operations, NameEachFieldOfTheirPaths) {
  for (const auto* one : operations()) {
    std::string_view path = one->path;
    for (auto open = path.find('{'); open != std::string_view::npos;
         open = path.find('{')) {
      const auto close = path.find('}', open);
      const auto name = path.substr(open + 1, close - open - 1);
      EXPECT_NE(one->asked().find(name), nullptr) << one->path << " " << name;
      path.remove_prefix(close);
    }
  }
}

}  // namespace
}  // namespace vantro::api
