#include "desk/uploads.h"

#include <filesystem>
#include <thread>

#include "tests/fakes/repository_fixture.h"

namespace vantro::desk {
namespace {

namespace fs = std::filesystem;

class UploadsTest : public fakes::RepositoryFixture {
 protected:
  void SetUp() override {
    RepositoryFixture::SetUp();
    uploads_.emplace(*gate_, clock_);
  }
  void TearDown() override { uploads_.reset(); }

  gate::IntakeOptions image(const std::string& name, std::uint64_t size) const {
    gate::IntakeOptions options;
    options.name = name;
    options.size = size;
    options.by = desk_.by();
    return options;
  }
  // How far it is, or the refusal's sentence.
  static std::string told(const base::Outcome<Uploads::View>& view) {
    if (!view) return view.error().sentence;
    return fmt::format("{} of {}, {}", view->bytes, view->size, word(view->state));
  }
  std::string append(std::int64_t number, std::uint64_t offset,
                     const std::string& piece) {
    return told(uploads_->append(desk_, number, offset, base::as_bytes(piece)));
  }
  std::string state_of(std::int64_t number) {
    return told(uploads_->find(desk_, number));
  }
  std::string sha256_of(const std::string& bytes) const {
    crypto::Digester digests;
    digests.update(base::as_bytes(bytes));
    return digests.finish().sha256;
  }

  Caller desk_{"day-desk", {auth::Role::kOperate, {}}, "192.0.2.50"};
  Caller other_{"night-desk", {auth::Role::kAdminister, {}}, "192.0.2.51"};
  std::optional<Uploads> uploads_;
};

TEST_F(UploadsTest, PiecesBecomeAnImage) {
  const auto begun = uploads_->begin(desk_, image("x.img", 10));
  ASSERT_TRUE(begun);
  EXPECT_EQ(append(begun->number, 0, "12345"), "5 of 10, receiving");
  EXPECT_EQ(append(begun->number, 5, "67890"), "10 of 10, receiving");
  const auto filed =
      uploads_->file(desk_, begun->number, "sha256:" + sha256_of("1234567890"));
  ASSERT_TRUE(filed);
  ASSERT_TRUE(filed->taken) << filed->taken.error().sentence;
  EXPECT_EQ(fetch("x.img"), "1234567890");
  EXPECT_EQ(state_of(begun->number), "10 of 10, filed");
  EXPECT_EQ(append(begun->number, 10, "x"), "upload 1 is filed as 'x.img'");
  // The first answer may be lost.
  const auto again = uploads_->file(desk_, begun->number, "");
  ASSERT_TRUE(again && again->taken);
  EXPECT_EQ(again->taken->added.image.name, "x.img");
  EXPECT_EQ(again->taken->offer, filed->taken->offer);
}

TEST_F(UploadsTest, TellHowFarTheLookIs) {
  // In the place of the program that looks: it has read 7 bytes, and waits to be let go.
  const fakes::ScratchFolder scratch;
  const auto program = scratch / "look";
  fakes::write_file(program, "#!/bin/sh\nsleep 0.2\necho @7\nwhile [ ! -e " +
                                 (scratch / "go") +
                                 " ]; do sleep 0.05; done\nprintf "
                                 "'verdict whole\\nfinding fine\\nend\\n'\n");
  fs::permissions(program, fs::perms::owner_all);
  auto config = *gate_->config();
  config.look.program = program;
  gate_->use(config);
  ASSERT_TRUE(uploads_->begin(desk_, image("x.img", 10)));
  append(1, 0, "1234567890");
  std::thread filing([&] { EXPECT_TRUE(uploads_->file(desk_, 1, "")->taken); });
  const auto looked = [&] { return uploads_->find(desk_, 1)->looked_bytes; };
  for (int i = 0; i < 500 && looked() != 7; ++i) {
    std::this_thread::sleep_for(std::chrono::milliseconds(20));
  }
  EXPECT_EQ(looked(), 7u);
  EXPECT_EQ(state_of(1), "10 of 10, filing");
  fakes::write_file(scratch / "go", "");
  filing.join();
}

TEST_F(UploadsTest, APieceGoesOnWhereTheLastOneEnded) {
  const auto begun = uploads_->begin(desk_, image("x.img", 10));
  ASSERT_TRUE(begun);
  EXPECT_EQ(append(1, 0, "123"), "3 of 10, receiving");
  // Its answer was lost, and it comes again; or one was left out.
  EXPECT_EQ(append(1, 0, "123"), "cannot add to upload 1 at byte 0; resume at 3");
  EXPECT_EQ(append(1, 7, "890"), "cannot add to upload 1 at byte 7; resume at 3");
  EXPECT_EQ(append(1, 3, "45678901"),
            "upload 1 has 10 bytes; this piece would make it 11");
  EXPECT_EQ(append(1, 3, "4567890"), "10 of 10, receiving");
}

TEST_F(UploadsTest, WhatIsNotWholeIsNotFiledAndCanGoOn) {
  ASSERT_TRUE(uploads_->begin(desk_, image("x.img", 4)));
  append(1, 0, "12");
  const auto early = uploads_->file(desk_, 1, "");
  ASSERT_FALSE(early);
  EXPECT_EQ(early.error().sentence, "upload 1 has 2 of 4 bytes; send the rest first");
  EXPECT_EQ(append(1, 2, "34"), "4 of 4, receiving");
  EXPECT_TRUE(uploads_->file(desk_, 1, "")->taken);
}

TEST_F(UploadsTest, WhatDiffersFromWhatWasSentIsNotFiled) {
  ASSERT_TRUE(uploads_->begin(desk_, image("x.img", 4)));
  append(1, 0, "1234");
  const auto filed = uploads_->file(desk_, 1, "sha256:" + std::string(64, '0'));
  ASSERT_TRUE(filed);
  ASSERT_FALSE(filed->taken);
  EXPECT_EQ(filed->taken.error().kind, base::Kind::kMismatch);
  EXPECT_EQ(filed->differing->hex, std::string(64, '0'));
  EXPECT_EQ(filed->actual, sha256_of("1234"));
  EXPECT_EQ(fetch("x.img"), "refused: 'x.img' is not on offer");
  EXPECT_EQ(state_of(1), "4 of 4, refused");
  EXPECT_EQ(append(1, 4, ""), "upload 1 was refused: " + filed->taken.error().sentence);
}

TEST_F(UploadsTest, WhatIsSaidOfItCanBeSaidAgain) {
  auto options = image("x.img", 4);
  options.facts["version"] = "7.4.0";
  options.claims.push_back({*crypto::Expected::parse(std::string(64, '0')), "", ""});
  ASSERT_TRUE(uploads_->begin(desk_, std::move(options)));
  append(1, 0, "12");
  auto better = image("another name", 99);
  better.facts["version"] = "7.6.0";
  better.hold = true;
  EXPECT_EQ(told(uploads_->describe(desk_, 1, better)), "2 of 4, receiving");
  auto wrong = image("x.img", 4);
  wrong.facts["role"] = "engine";
  EXPECT_FALSE(uploads_->describe(desk_, 1, std::move(wrong)));
  append(1, 2, "34");
  const auto filed = uploads_->file(desk_, 1, "");
  ASSERT_TRUE(filed);
  ASSERT_TRUE(filed->taken) << filed->taken.error().sentence;
  const auto kept = repository_->catalog.find("x.img");
  ASSERT_TRUE(kept);
  EXPECT_EQ(kept->facts.version, "7.6.0");
  EXPECT_FALSE(kept->offered);
  EXPECT_EQ(repository_->vouches.of(kept->id)->size(), 0u);
}

TEST_F(UploadsTest, ASuggestionThatWasClearedStaysCleared) {
  const std::string name = "c4-system-7.6.0.img";
  ASSERT_TRUE(uploads_->begin(desk_, image(name, 4)));
  auto corrected = image(name, 4);
  corrected.facts["version"] = "";
  ASSERT_TRUE(uploads_->describe(desk_, 1, std::move(corrected)));
  append(1, 0, "1234");
  ASSERT_TRUE(uploads_->file(desk_, 1, "")->taken);
  const auto kept = repository_->catalog.find(name);
  EXPECT_EQ(kept->facts.version, "");
  EXPECT_EQ(kept->facts.role, "system");
}

TEST_F(UploadsTest, NobodySeesAnothersUpload) {
  ASSERT_TRUE(uploads_->begin(desk_, image("x.img", 4)));
  EXPECT_EQ(uploads_->find(other_, 1).error().kind, base::Kind::kNotFound);
  EXPECT_EQ(uploads_->drop(other_, 1).error().kind, base::Kind::kNotFound);
  EXPECT_TRUE(uploads_->list(other_).empty());
  EXPECT_EQ(uploads_->list(desk_).size(), 1u);
}

TEST_F(UploadsTest, ADroppedOneLeavesNothing) {
  ASSERT_TRUE(uploads_->begin(desk_, image("x.img", 4)));
  append(1, 0, "12");
  EXPECT_FALSE(std::filesystem::is_empty(state() + "/arriving"));
  ASSERT_TRUE(uploads_->drop(desk_, 1));
  EXPECT_TRUE(std::filesystem::is_empty(state() + "/arriving"));
  EXPECT_EQ(state_of(1),
            "unknown upload 1; a restart of the server ends uploads, and so does an hour "
            "without data. Send the file again from its beginning");
}

TEST_F(UploadsTest, OneThatIsSilentForAnHourIsDropped) {
  ASSERT_TRUE(uploads_->begin(desk_, image("x.img", 4)));
  ASSERT_TRUE(uploads_->begin(desk_, image("y.img", 4)));
  clock_.advance(std::chrono::minutes(50));
  append(2, 0, "12");
  clock_.advance(std::chrono::minutes(20));
  uploads_->tick();
  EXPECT_EQ(uploads_->find(desk_, 1).error().kind, base::Kind::kNotFound);
  EXPECT_EQ(state_of(2), "2 of 4, receiving");
}

TEST_F(UploadsTest, OneThatIsSilentIsShownAsStalled) {
  ASSERT_TRUE(uploads_->begin(desk_, image("x.img", 4)));
  append(1, 0, "12");
  const auto stalled = [&] {
    return gate_->transfers().view().front().stalled_ms.has_value();
  };
  EXPECT_FALSE(stalled());
  clock_.advance(std::chrono::seconds(11));
  uploads_->tick();
  EXPECT_TRUE(stalled());
  append(1, 2, "34");
  EXPECT_FALSE(stalled());
}

TEST_F(UploadsTest, ThereAreOnlySoManyAtOnce) {
  for (std::size_t i = 0; i < Uploads::kMostOfOne; ++i) {
    ASSERT_TRUE(uploads_->begin(desk_, image(fmt::format("x{}.img", i), 4)));
  }
  const auto more = uploads_->begin(desk_, image("y.img", 4));
  ASSERT_FALSE(more);
  EXPECT_EQ(more.error().sentence,
            "too many uploads: 8 of yours, limit 8; 8 of all, limit 32. File or drop one "
            "first");
  EXPECT_TRUE(uploads_->begin(other_, image("y.img", 4)));
  // One that is filed does not count.
  append(1, 0, "1234");
  ASSERT_TRUE(uploads_->file(desk_, 1, "")->taken);
  EXPECT_TRUE(uploads_->begin(desk_, image("z.img", 4)));
}

TEST_F(UploadsTest, ASizeIsNeeded) {
  auto options = image("x.img", 4);
  options.size.reset();
  EXPECT_EQ(uploads_->begin(desk_, std::move(options)).error().sentence,
            "size: missing; give the number of bytes");
}

}  // namespace
}  // namespace vantro::desk
