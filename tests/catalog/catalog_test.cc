#include "catalog/catalog.h"

#include "desk/images.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::catalog {
namespace {

class CatalogTest : public fakes::RepositoryFixture {
 protected:
  void add(const std::string& name, std::map<std::string, std::string> facts) {
    gate::IntakeOptions options;
    options.name = name;
    options.facts = std::move(facts);
    const auto taken = take_in(std::move(options), "bytes of " + name);
    ASSERT_TRUE(taken) << taken.error().sentence;
  }
  void add_usual() {
    add("c4-7.4.img",
        {{"platform", "causeway4"}, {"role", "system"}, {"version", "7.4.2"}});
    add("c4-7.6a.img", {{"platform", "causeway4, causeway6"},
                        {"role", "system"},
                        {"version", "7.6.9"},
                        {"maker", "Fenrock"},
                        {"hardware", "A1, A2"}});
    add("c4-7.6b.img", {{"platform", "causeway4"},
                        {"role", "system"},
                        {"version", "7.6.10"},
                        {"stage", "proven"}});
    add("c4-boot.img", {{"platform", "causeway4"}, {"role", "boot"}, {"version", "2.1"}});
    add("odd.bin", {});
  }
  std::string list(const Filter& filter) {
    const auto listing = repository_->catalog.list(filter);
    if (!listing) return "refused: " + base::in_full(listing.error());
    std::string text;
    for (const auto& row : listing->images) {
      text += row.platform + ":" + row.image.name + (row.newest ? "*" : "") +
              (row.confusable ? "~ " : " ");
    }
    return text;
  }
  std::string list(const std::string& fact, const std::string& text) {
    Filter filter;
    filter.facts[fact] = text;
    return list(filter);
  }
};

TEST_F(CatalogTest, ListsByPlatformRoleAndVersionAndMarksTheNewest) {
  add_usual();
  EXPECT_EQ(
      list(Filter{}),
      ":odd.bin causeway4:c4-boot.img* causeway4:c4-7.6b.img* causeway4:c4-7.6a.img "
      "causeway4:c4-7.4.img* causeway6:c4-7.6a.img* ");
  Filter two;
  two.most = 2;
  two.skip = 1;
  EXPECT_EQ(list(two), "causeway4:c4-boot.img* causeway4:c4-7.6b.img* ");
  EXPECT_EQ(repository_->catalog.list(two)->in_all, 6u);
}

// Very many matches are not counted to their end, and every page can still be had.
TEST_F(CatalogTest, CountsOnlySoMany) {
  add("c4.img", {{"platform", "causeway4"}, {"role", "system"}, {"version", "7.6"}});
  ASSERT_TRUE(repository_->database->write([](db::Transaction& t) -> base::Outcome<void> {
    t.run(
        "insert into image_platforms (image, platform, role, line_key, version_key, "
        "withdrawn) with recursive n(k) as (select 1 union all select k + 1 from n where "
        "k "
        "< 10005) select 1, 'weir' || k, 'system', '', '', 0 from n");
    return {};
  }));
  Filter last;
  last.most = 10;
  last.skip = 10'000;
  const auto listing = repository_->catalog.list(last);
  EXPECT_EQ(listing->in_all, 10'000u);
  EXPECT_TRUE(listing->and_more);
  EXPECT_EQ(listing->images.size(), 6u);
  Filter one;
  one.facts["platform"] = "WEIR77";
  EXPECT_EQ(list(one), "weir77:c4.img ");
  EXPECT_EQ(repository_->catalog.list(one)->in_all, 1u);
  EXPECT_FALSE(repository_->catalog.list(one)->and_more);
}

// It is kept, so each change that may move it is tried.
TEST_F(CatalogTest, TheNewestOfALineFollowsEveryChange) {
  const auto newest = [&] {
    Filter filter;
    filter.newest_only = true;
    return list(filter);
  };
  add("a.img", {{"platform", "weir2"}, {"role", "system"}, {"version", "12.0.4"}});
  EXPECT_EQ(newest(), "weir2:a.img* ");
  add("b.img", {{"platform", "weir2"}, {"role", "system"}, {"version", "12.0.5"}});
  EXPECT_EQ(newest(), "weir2:b.img* ");
  desk::Images images(*repository_, operator_);
  ASSERT_TRUE(images.withdraw("b.img", "it loses routes"));
  EXPECT_EQ(newest(), "weir2:a.img* ");
  ASSERT_TRUE(images.take_back_withdrawal("b.img", false));
  EXPECT_EQ(newest(), "weir2:b.img* ");
  // To another line, where it is alone; and to none.
  ASSERT_TRUE(images.edit("b.img", {{"version", "13.0.0"}}));
  EXPECT_EQ(newest(), "weir2:b.img* weir2:a.img* ");
  ASSERT_TRUE(images.edit("b.img", {{"version", ""}}));
  EXPECT_EQ(newest(), "weir2:a.img* ");
  // Two of the same version are the newest both.
  ASSERT_TRUE(images.edit("b.img", {{"version", "12.0.4"}}));
  EXPECT_EQ(newest(), "weir2:a.img* weir2:b.img* ");
  // For another platform as well.
  ASSERT_TRUE(images.edit("b.img", {{"platform", "weir2, weir3"}, {"version", "12.1"}}));
  EXPECT_EQ(newest(), "weir2:b.img* weir2:a.img* weir3:b.img* ");
  ASSERT_TRUE(images.withdraw("b.img", "it is over"));
  ASSERT_TRUE(images.remove("b.img"));
  EXPECT_EQ(newest(), "weir2:a.img* ");
}

TEST_F(CatalogTest, SummarisesPlatformsAndLines) {
  add_usual();
  std::string platforms;
  const auto all = repository_->catalog.platforms();
  for (const auto& one : *all) {
    platforms += fmt::format("{} {}; ", one.platform, one.images);
  }
  EXPECT_EQ(platforms, "causeway4 4; causeway6 1; ");
  const auto lines = [&](const std::string& platform) {
    std::string text;
    const auto found = repository_->catalog.lines(platform);
    for (const auto& one : *found) {
      text += fmt::format("{} {} {}: {}, {} {}; ", one.platform, one.role, one.line,
                          one.images, one.newest, one.version);
    }
    return text;
  };
  EXPECT_EQ(lines("Causeway4"),
            "causeway4 boot 2.1: 1, c4-boot.img 2.1; causeway4 system 7.4: 1, c4-7.4.img "
            "7.4.2; causeway4 system 7.6: 2, c4-7.6b.img 7.6.10; ");
  ASSERT_TRUE(
      desk::Images(*repository_, operator_).withdraw("c4-7.4.img", "it loses routes"));
  EXPECT_NE(lines("").find("causeway4 system 7.4: 1,  ; "), std::string::npos)
      << lines("");
}

TEST_F(CatalogTest, FiltersOnEveryFact) {
  add_usual();
  EXPECT_EQ(list("platform", "CAUSEWAY6"), "causeway6:c4-7.6a.img* ");
  EXPECT_EQ(list("maker", "fenrock"), "causeway4:c4-7.6a.img causeway6:c4-7.6a.img* ");
  EXPECT_EQ(list("role", "boot"), "causeway4:c4-boot.img* ");
  EXPECT_EQ(list("stage", "proven"), "causeway4:c4-7.6b.img* ");
  EXPECT_EQ(list("line", "7.6"),
            "causeway4:c4-7.6b.img* causeway4:c4-7.6a.img causeway6:c4-7.6a.img* ");
  EXPECT_EQ(list("version", "7.6.1"), "");
  EXPECT_EQ(list("version", "7.6.10"), "causeway4:c4-7.6b.img* ");
  EXPECT_EQ(list("version", "7"),
            "causeway4:c4-7.6b.img* causeway4:c4-7.6a.img causeway4:c4-7.4.img* "
            "causeway6:c4-7.6a.img* ");
  EXPECT_EQ(list("version", ">7.6.9"), "causeway4:c4-7.6b.img* ");
  EXPECT_EQ(list("version", "<= 7.4.2"), "causeway4:c4-boot.img* causeway4:c4-7.4.img* ");
  // No revision at all is any.
  Filter fits;
  fits.facts = {{"hardware", "a2"}, {"line", "7.6"}, {"platform", "causeway4"}};
  EXPECT_EQ(list(fits), "causeway4:c4-7.6b.img* causeway4:c4-7.6a.img ");
  fits.facts["hardware"] = "A";
  EXPECT_EQ(list(fits), "causeway4:c4-7.6b.img* ");
  ASSERT_TRUE(desk::Images(*repository_, operator_)
                  .edit("c4-boot.img", {{"space", "2 MiB"}, {"remarks", "Cold start"}}));
  EXPECT_EQ(list("space", "2 MiB"), "causeway4:c4-boot.img* ");
  EXPECT_EQ(list("space", "1 MiB"), "");
  EXPECT_EQ(list("remarks", "cold"), "causeway4:c4-boot.img* ");
  Filter newest;
  newest.newest_only = true;
  newest.named = repository_->snapshot()->image_names->containing("7.6");
  EXPECT_EQ(list(newest), "causeway4:c4-7.6b.img* causeway6:c4-7.6a.img* ");
  EXPECT_EQ(list("version", "!!"), "refused: '!!' is not a version; example: \">=7.4\"");
  EXPECT_EQ(list("version", "<>7"),
            "refused: '<>' does not compare versions; use =, >, >=, <, <=");
  EXPECT_EQ(list("colour", "blue"), "refused: images can't be filtered by 'colour'");
}

TEST_F(CatalogTest, MarksVersionsThatAreEasilyConfused) {
  add("a.img", {{"platform", "c4"}, {"version", "7.6.12"}});
  add("b.img", {{"platform", "c4"}, {"version", "7.6.21"}});
  add("c.img", {{"platform", "c6"}, {"version", "7.6.12"}});
  EXPECT_EQ(list(Filter{}), "c4:b.img*~ c4:a.img~ c6:c.img* ");
  const auto alike =
      repository_->catalog.look_alikes(*repository_->catalog.find("a.img"));
  ASSERT_EQ(alike->size(), 1u);
  EXPECT_EQ(alike->front().name + " " + alike->front().version, "b.img 7.6.21");
}

TEST_F(CatalogTest, EditsFactsAllOrNone) {
  add_usual();
  desk::Images changes(*repository_, operator_);
  const auto made =
      changes.edit("c4-7.4.img", {{"version", "7.4.3"}, {"platform", "causeway9"}});
  ASSERT_TRUE(made);
  ASSERT_EQ(made->size(), 2u);
  EXPECT_EQ((*made)[0].fact + ":" + (*made)[0].before + ">" + (*made)[0].after,
            "platform:causeway4>causeway9");
  EXPECT_EQ(list("platform", "causeway9"), "causeway9:c4-7.4.img* ");
  EXPECT_EQ(base::in_full(
                changes.edit("c4-7.4.img", {{"version", "9"}, {"role", "x"}}).error()),
            "'x' is not a role; there are system, boot, module, recovery, other");
  EXPECT_EQ(repository_->catalog.find("c4-7.4.img")->facts.version, "7.4.3");
  EXPECT_TRUE(changes.edit("c4-7.4.img", {{"version", "7.4.3"}})->empty());
  const auto rows = repository_->ledger.newest(1, {});
  EXPECT_EQ(rows->front().event + ": " + rows->front().sentence,
            "image-edit: platform: 'causeway4' -> 'causeway9'; version: '7.4.2' -> "
            "'7.4.3'");
}

TEST_F(CatalogTest, FindsByAnyChecksumAndAnyName) {
  add("x.img", {});
  const auto image = *repository_->catalog.find("x.img");
  for (const auto& hex : {image.digests.md5, image.digests.sha1, image.digests.sha256,
                          image.digests.sha512}) {
    const auto found = repository_->catalog.with_checksum(*crypto::Expected::parse(hex));
    ASSERT_TRUE(found && found->has_value()) << hex;
    EXPECT_EQ((*found)->name, "x.img");
  }
  EXPECT_FALSE(
      repository_->catalog.with_checksum(*crypto::Expected::parse(std::string(64, '0')))
          ->has_value());
  ASSERT_TRUE(take_in("dir/y.img", "bytes of x.img"));
  EXPECT_EQ(repository_->catalog.find("dir/y.img")->id, image.id);
  EXPECT_EQ(*repository_->catalog.names_of(image.id),
            (std::vector<std::string>{"x.img", "dir/y.img"}));
  EXPECT_EQ(base::in_full(repository_->catalog.find("z.img").error()),
            "unknown image 'z.img'; nearest: 'x.img'");
}

TEST_F(CatalogTest, KeepsDocumentsAndWhatTheyWereBefore) {
  add("x.img", {});
  desk::Images changes(*repository_, operator_);
  ASSERT_TRUE(changes.attach("x.img", "notes.md", base::as_bytes("first")));
  ASSERT_TRUE(changes.attach("x.img", "notes.md", base::as_bytes("second")));
  const auto id = repository_->catalog.find("x.img")->id;
  ASSERT_EQ(repository_->documents.of(id)->size(), 1u);
  EXPECT_EQ(repository_->documents.find(id, "notes.md")->size, 6u);
  EXPECT_EQ(base::in_full(repository_->documents.find(id, "note.md").error()),
            "the image has no document 'note.md'; nearest: 'notes.md'");
  EXPECT_EQ(
      changes.attach("x.img", "notes.exe", base::as_bytes("x")).error().sentence,
      "'notes.exe' is not a document; release notes are text (.txt), Markdown (.md) or "
      "PDF (.pdf)");
  ASSERT_TRUE(changes.detach("x.img", "notes.md"));
  EXPECT_TRUE(repository_->documents.of(id)->empty());
  EXPECT_TRUE(reopen().clean());  // all their bytes are still on record
}

}  // namespace
}  // namespace vantro::catalog
