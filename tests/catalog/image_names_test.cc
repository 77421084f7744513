#include "catalog/image_names.h"

#include <fmt/format.h>
#include <random>

#include "catalog/catalog.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::catalog {
namespace {

class ImageNamesTest : public fakes::RepositoryFixture {
 protected:
  template <class Work>
  void write(Work work) {
    const auto done =
        repository_->database->write([&](db::Transaction& t) -> base::Outcome<void> {
          work(t);
          return {};
        });
    ASSERT_TRUE(done) << done.error().sentence;
  }
  // All rows, each as one line of its columns.
  std::string query(const std::string& sql, const std::vector<db::Value>& values = {}) {
    std::string all;
    (void)repository_->database->read([&](db::Transaction& t) -> base::Outcome<void> {
      for (const auto& row : t.query(sql, values)) {
        for (std::size_t i = 0; i < row.size(); ++i) all += row.text(i) + " ";
        all += "\n";
      }
      return {};
    });
    return all;
  }
  static std::string told(const NamesFound& found) {
    std::string all;
    for (const auto& [platform, images] : found.by_platform) {
      for (const auto image : images) {
        all += platform + " " + std::to_string(image) + " \n";
      }
    }
    return all;
  }
  // The same from the database.
  std::string expected(const std::string& part) {
    return query(
        "select p.platform, cast(p.image as text) from image_platforms p where p.image "
        "in "
        "(select image from image_names where instr(lower(name), lower(:p)) > 0) order "
        "by p.platform, p.image",
        {part});
  }
  ImageNames read() {
    return *repository_->database->read(
        [](db::Transaction& t) -> base::Outcome<ImageNames> {
          return ImageNames::read(t);
        });
  }
  Image image(int number, const std::string& name) {
    Image made;
    made.name = name;
    made.digests.sha256 = fmt::format("{:064}", number);
    return made;
  }
};

// What it becomes by following is what it is when everything is read.
TEST_F(ImageNamesTest, FollowEveryChange) {
  std::mt19937 random(26);
  const std::vector<std::string> platforms{"", "weir2", "weir3", "Sluice 1", "causeway4"};
  const auto some = [&] {
    std::vector<std::string> chosen;
    for (const auto& one : platforms) {
      if (!one.empty() && random() % 3 == 0) chosen.push_back(one);
    }
    return chosen;
  };
  // More than one block of them.
  write([&](db::Transaction& t) {
    for (int i = 0; i < 700; ++i) {
      auto one = image(i, "Image-" + std::to_string(i) + ".img");
      one.facts.platforms = some();
      ASSERT_TRUE(Catalog::add(t, one));
    }
  });
  for (int round = 0; round < 60; ++round) {
    write([&](db::Transaction& t) {
      for (int i = 0; i < 4; ++i) {
        const int number = static_cast<int>(random() % 720);
        const auto known = Catalog::with_content(t, image(number, "").digests.sha256);
        switch (random() % 3) {
          case 0:  // new, or another name
            ASSERT_TRUE(Catalog::add(
                t, image(number, "img" + std::to_string(round * 10 + i) + ".BIN")));
            break;
          case 1:
            if (known) Catalog::remove(t, *known);
            break;
          default:
            if (auto changed = known) {
              ASSERT_TRUE(Catalog::edit(
                  t, *changed,
                  {{"platform", fmt::format("{}", fmt::join(some(), ", "))}}));
            }
            break;
        }
      }
    });
    const auto followed = repository_->snapshot()->image_names;
    for (const auto* part : {"", "img", "IMAGE-6", "1", ".bin", "image-69", "none"}) {
      ASSERT_EQ(told(followed->containing(part)), expected(part)) << part << round;
    }
    if (round % 20 == 0) {
      ASSERT_EQ(told(read().containing("")), expected(""));
    }
  }
  // All of them.
  write([&](db::Transaction& t) {
    for (int i = 0; i < 720; ++i) {
      const auto known = Catalog::with_content(t, image(i, "").digests.sha256);
      if (known) Catalog::remove(t, *known);
    }
  });
  EXPECT_EQ(told(repository_->snapshot()->image_names->containing("")), "");
}

TEST_F(ImageNamesTest, APartThatSpansTwoNamesIsInNone) {
  write([&](db::Transaction& t) {
    ASSERT_TRUE(Catalog::add(t, image(1, "one")));
    ASSERT_TRUE(Catalog::add(t, image(1, "two")));
    ASSERT_TRUE(Catalog::add(t, image(2, "three")));
  });
  const auto names = repository_->snapshot()->image_names;
  EXPECT_EQ(told(names->containing("TW")), " 1 \n");
  EXPECT_EQ(told(names->containing("etw")), "");
  EXPECT_EQ(told(names->containing("one\ntwo")), "");
  EXPECT_EQ(told(names->containing("\n")), "");
}

// Also with so many that they are listed platform by platform, and on one platform not by
// their ids: each page, with and without other conditions, is what the database alone
// would answer.
TEST_F(ImageNamesTest, ListsOfVeryManyMatchesAreRight) {
  constexpr int kImages = 24'000;
  write([&](db::Transaction& t) {
    const std::string numbers = fmt::format(
        "with recursive n(k) as (select cast(1 as bigint) union all select k + 1 from n "
        "where k < {}) ",
        kImages);
    t.run(
        "insert into images (id, name, size, md5, sha1, sha256, sha512, taken_in_at, "
        "taken_in_by, maker, platforms, role, version, stage) " +
        numbers +
        "select k, 'System-' || k || '.img', 1, '', '', cast(k as text), '', 0, 'bench', "
        "'', case k % 24 when 0 then 'weir1' when 1 then 'weir2' else 'weir0' end, case "
        "when k % 7 = 0 then 'boot' else 'system' end, '', "
        "'' "
        "from n");
    t.run("insert into image_names (name, image, since) select name, id, 0 from images");
    // The others do not contain it.
    t.run("update image_names set name = 'other-' || image where image % 50 = 0");
    t.run(
        "insert into image_platforms (image, platform, role, line_key, version_key, "
        "withdrawn) select id, platforms, role, '', '', 0 from images");
    // For a second platform as well, whose name sorts before all others.
    t.run(
        "insert into image_platforms (image, platform, role, line_key, version_key, "
        "withdrawn) select id, 'a', role, '', '', 0 from images where id > 23990");
  });
  Filter filter;
  filter.named = read().containing("SYSTEM-");
  ASSERT_GT(filter.named->by_platform.at("weir0").size(), 20'000u);
  const auto brute = [&](const std::string& more, std::size_t most, std::size_t skip) {
    return query(
        "select p.platform, cast(p.image as text) from image_platforms p where p.image "
        "in "
        "(select image from image_names where name like 'System-%') " +
            more +
            " order by p.platform, p.role, p.version_key desc, p.image limit :m offset "
            ":k",
        {static_cast<std::int64_t>(most), static_cast<std::int64_t>(skip)});
  };
  const auto listed = [&] {
    const auto listing = repository_->catalog.list(filter);
    EXPECT_TRUE(listing);
    std::string all;
    for (const auto& one : listing->images) {
      all += one.platform + " " + std::to_string(one.image.id) + " \n";
    }
    return all;
  };
  for (const bool counted : {true, false}) {
    filter.counted = counted;
    for (const std::size_t skip : {0, 5, 9, 10, 950, 21'560, 22'500, 23'500, 30'000}) {
      filter.most = 30;
      filter.skip = skip;
      filter.facts.clear();
      EXPECT_EQ(listed(), brute("", 30, skip)) << skip;
      filter.facts["role"] = "boot";
      EXPECT_EQ(listed(), brute("and p.role = 'boot'", 30, skip)) << skip;
      filter.facts["platform"] = "WEIR1";
      EXPECT_EQ(listed(), brute("and p.role = 'boot' and p.platform = 'weir1'", 30, skip))
          << skip;
    }
  }
  filter.skip = 0;
  filter.counted = true;
  filter.facts.erase("role");
  EXPECT_EQ(repository_->catalog.list(filter)->in_all, 960u);
  filter.facts.clear();
  const auto all = repository_->catalog.list(filter);
  EXPECT_EQ(all->in_all, Listing::kMostCounted);
  EXPECT_TRUE(all->and_more);
  filter.facts["platform"] = "weir9";
  EXPECT_EQ(repository_->catalog.list(filter)->in_all, 0u);
}

}  // namespace
}  // namespace vantro::catalog
