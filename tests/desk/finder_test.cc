#include "desk/finder.h"

#include "desk/devices.h"
#include "desk/images.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::desk {
namespace {

class FinderTest : public fakes::RepositoryFixture {
 protected:
  void SetUp() override {
    RepositoryFixture::SetUp();
    ASSERT_TRUE(take_in("causeway4-system-7.6.0.img", "bytes"));
    ASSERT_TRUE(Images(*repository_, operator_)
                    .edit("causeway4-system-7.6.0.img",
                          {{"platform", "causeway4, causeway5"}, {"version", "7.6.0"}}));
    ASSERT_TRUE(Devices(*repository_, operator_)
                    .add("tidegate-rtr", {{"addresses", "192.0.2.7"},
                                          {"link_address", "02:00:5e:10:00:01"},
                                          {"platform", "causeway4"},
                                          {"site", "Tidegate"}}));
  }
  // "image x; device y"
  std::string found(const std::string& text, std::size_t most = 8) const {
    const auto all = find_anything(*repository_, text, most);
    if (!all) return all.error().sentence;
    std::string words;
    for (const auto& one : *all) {
      words +=
          fmt::format("{}{} {}", words.empty() ? "" : "; ", word(one.kind), one.name);
    }
    return words;
  }
};

TEST_F(FinderTest, FindsByAPartOfANameOrAddress) {
  EXPECT_EQ(found("7.6"), "image causeway4-system-7.6.0.img");
  EXPECT_EQ(found("GATE-r"), "device tidegate-rtr");
  EXPECT_EQ(found("192.0.2"), "device tidegate-rtr");
  EXPECT_EQ(found("5e:10"), "device tidegate-rtr");
  EXPECT_EQ(found("nothing of the kind"), "");
}

TEST_F(FinderTest, AnImageForTwoPlatformsIsFoundOnce) {
  const auto all = find_anything(*repository_, "causeway4-system", 8);
  ASSERT_TRUE(all);
  ASSERT_EQ(all->size(), 1u);
  EXPECT_EQ(all->front().detail, "causeway4, causeway5 · 7.6.0 · 5 B");
}

TEST_F(FinderTest, AnAddressIsItsDeviceAndItsStory) {
  EXPECT_EQ(found("192.0.2.7"), "device tidegate-rtr; address 192.0.2.7");
  EXPECT_EQ(found("2001:db8::9"), "address 2001:db8::9");
}

TEST_F(FinderTest, AChecksumIsFoundWholeOrByItsBeginning) {
  const auto image = repository_->catalog.find("causeway4-system-7.6.0.img");
  ASSERT_TRUE(image);
  const std::string wanted = "image causeway4-system-7.6.0.img";
  EXPECT_EQ(found(image->digests.sha256), wanted);
  EXPECT_EQ(found(image->digests.md5), wanted);
  EXPECT_EQ(found("sha1:" + image->digests.sha1), wanted);
  EXPECT_EQ(found(image->digests.sha256.substr(0, 8)), wanted);
  EXPECT_EQ(found(image->digests.sha256.substr(0, 32)), wanted);
  EXPECT_EQ(found(image->digests.sha256.substr(0, 40)), wanted);
  // Too short to be meant as one.
  EXPECT_EQ(found(image->digests.sha256.substr(0, 7)), "");
}

}  // namespace
}  // namespace vantro::desk
