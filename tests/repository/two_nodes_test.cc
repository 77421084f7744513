// Two nodes on one vault: what one removes while the other files the same bytes.
#include <filesystem>
#include <functional>
#include <gtest/gtest.h>
#include <memory>

#include "gate/gate.h"
#include "repository/repository.h"
#include "tests/fakes/scratch_folder.h"
#include "tests/fakes/sim_clock.h"
#include "tests/fakes/test_database.h"
#include "upkeep/recovery.h"

namespace vantro::repository {
namespace {

// Calls somebody at a moment of filing: the bytes have their name in the vault, and their
// record is not written yet.
class FilesWithAMoment final : public store::FileSystem {
 public:
  int sync_folder(const std::string& path) override {
    const int done = FileSystem::sync_folder(path);
    const bool shelf = path.find("/vault/") != std::string::npos;
    if (shelf && then) std::exchange(then, nullptr)();
    return done;
  }
  std::function<void()> then;
};

class TwoNodes : public testing::Test {
 protected:
  struct Node {
    std::unique_ptr<Repository> repository;
    std::unique_ptr<gate::Gate> gate;
  };

  Node open(const std::string& name, store::FileSystem& files = store::system_files()) {
    Node node;
    auto opened = Repository::open(scratch_ / "state", clock_, log_, {},
                                   {where_.where(), false, name}, files);
    EXPECT_TRUE(opened) << opened.error().sentence;
    node.repository = std::move(*opened);
    EXPECT_TRUE(node.repository->nodes.enter({name, "run of " + name, "host", "1"}));
    node.gate =
        std::make_unique<gate::Gate>(*node.repository, clock_, log_, gate::Config());
    return node;
  }
  static base::Outcome<gate::Filed> deposit(Node& at, const std::string& name,
                                            const std::string& bytes) {
    const gate::Asker asker{
        {*base::Address::parse("10.0.0.7"), 5000}, "tftp", "a:69 on b"};
    auto place = at.gate->admit(asker, gate::Direction::kDeposit, name);
    if (!place) return base::refuse(place.error());
    auto grant = at.gate->open_write(asker, std::move(*place), name, {bytes.size(), {}});
    if (!grant) return base::refuse(grant.error());
    if (auto written = grant->write(base::as_bytes(bytes)); !written) {
      return base::refuse(written.error());
    }
    return grant->commit();
  }
  static bool is_there(const Node& at, const std::string& sha256) {
    return at.repository->folder.open_as_it_lies(sha256).has_value();
  }

  fakes::ScratchFolder scratch_;
  fakes::TestDatabase where_;
  fakes::SimClock clock_;
  base::Log log_;
  FilesWithAMoment files_;
  const std::string sha256_ =
      "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad";  // of "abc"
};

TEST_F(TwoNodes, WhatTheOtherRemovesAtThatMomentIsNotAcknowledged) {
  auto a = open("a", files_);
  auto b = open("b");
  files_.then = [&] { b.repository->contents.remove_if_unrecorded(sha256_); };
  const auto filed = deposit(a, "x.cfg", "abc");
  ASSERT_FALSE(filed);
  EXPECT_EQ(filed.error().sentence,
            "the same bytes were removed at this moment; send it again");
  EXPECT_FALSE(is_there(a, sha256_));
  // Sent again, it is there; and once it is recorded, nobody removes it.
  ASSERT_TRUE(deposit(a, "x.cfg", "abc"));
  b.repository->contents.remove_if_unrecorded(sha256_);
  EXPECT_TRUE(is_there(b, sha256_));
}

TEST_F(TwoNodes, GoodBytesThatArriveAtTheOtherAreNotQuarantined) {
  auto a = open("a", files_);
  auto b = open("b");
  ASSERT_TRUE(deposit(a, "x.cfg", "abc"));
  // b has read damaged bytes there, and before it says so, a gets them again.
  const auto path = b.repository->folder.vault_file(sha256_);
  std::filesystem::permissions(path, std::filesystem::perms::owner_all);
  fakes::write_file(path, "abd");
  const auto read = b.repository->folder.open_as_it_lies(sha256_);
  ASSERT_TRUE(read);
  files_.then = [&] {
    const auto lost = b.repository->contents.lost(sha256_, *read, "damaged");
    ASSERT_TRUE(lost);
    EXPECT_FALSE(*lost);
  };
  ASSERT_TRUE(deposit(a, "y.cfg", "abc"));
  EXPECT_EQ(fakes::read_file(path), "abc");
}

TEST_F(TwoNodes, EachHasAPartOfItsOwnAndTheFolderIsForThemAlone) {
  auto a = open("a");
  EXPECT_EQ(store::StateFolder::open(scratch_ / "state").error().sentence,
            (scratch_ / "state") +
                ": nodes with a PostgreSQL database work on this state; stop them first, "
                "or give this one its own --state");
  const auto again =
      store::StateFolder::open(scratch_ / "state", store::system_files(), "a");
  EXPECT_EQ(again.error().kind, base::Kind::kBusy);
  auto b = open("b");
  EXPECT_NE(a.repository->folder.own(), b.repository->folder.own());
  EXPECT_TRUE(a.repository->folder.is_in_use("b"));
  EXPECT_FALSE(a.repository->folder.is_in_use("c"));
}

// It lives as long as it has its lock, whatever the database thinks.
TEST_F(TwoNodes, OnlyAFreePartIsTakenOver) {
  auto b = open("b");
  {
    auto a = open("a");
    const auto taken =
        upkeep::take_over(*b.repository, *b.gate, {"a", "run of a"}, clock_.wall(), log_);
    ASSERT_TRUE(taken);
    EXPECT_FALSE(*taken);
  }
  const store::ArrivalLabel label{"backup", "10.0.0.7", "night.cfg"};
  fakes::write_file(
      (scratch_ / "state/nodes/a/arriving/") + label.file_name(clock_.wall(), "00000000"),
      "half of it");
  const auto taken =
      upkeep::take_over(*b.repository, *b.gate, {"a", "run of a"}, clock_.wall(), log_);
  ASSERT_TRUE(taken) << taken.error().sentence;
  EXPECT_TRUE(*taken);
  EXPECT_TRUE(std::filesystem::is_empty(scratch_ / "state/nodes/a/arriving"));
  const auto newest = b.repository->backups.newest(
      b.repository->inventory.holder_of(*base::Address::parse("10.0.0.7")), "night.cfg");
  ASSERT_TRUE(newest && *newest);
  EXPECT_FALSE((*newest)->complete);
  EXPECT_EQ((*newest)->size, 10u);
}

}  // namespace
}  // namespace vantro::repository
