#include "db/database.h"

#include <gtest/gtest.h>
#include <new>
#include <stdexcept>

#include "db/schema.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::db {
namespace {

using base::Outcome;

class DatabaseTest : public testing::Test {
 protected:
  std::unique_ptr<Database> open() {
    auto opened = Database::open(path());
    EXPECT_TRUE(opened) << opened.error().sentence;
    return std::move(*opened);
  }
  std::string path() const { return folder_ / "a folder's vantro.db"; }
  static Outcome<std::int64_t> count(Transaction& t, const std::string& table) {
    return t.query("select count(*) from " + table).front().integer(0);
  }

  fakes::ScratchFolder folder_;
};

TEST_F(DatabaseTest, KeepsWhatWasCommittedAcrossAnOpening) {
  {
    auto database = open();
    const auto done = database->write([](Transaction& t) -> Outcome<void> {
      t.run("insert into offers (name, image, since) select 'x', 1, 1 where 1 = 0");
      t.run("insert into schema_versions (version, what, at) values (:v, :w, :t)",
            {std::int64_t{-1}, std::string("it's \"quoted\""),
             std::int64_t{5'000'000'000}});
      return {};
    });
    ASSERT_TRUE(done);
  }
  auto database = open();
  const auto row = database->read([](Transaction& t) -> Outcome<Row> {
    return t.query("select what, at, null from schema_versions where version = -1")
        .front();
  });
  EXPECT_EQ(row->text(0), "it's \"quoted\"");
  EXPECT_EQ(row->integer(1), 5'000'000'000);
  EXPECT_TRUE(row->is_null(2));
}

TEST_F(DatabaseTest, RollsBackOnARefusalAndOnAFailingStatement) {
  auto database = open();
  const auto insert = [](Transaction& t) {
    t.run("insert into schema_versions (version, what, at) values (-1, 'x', 0)");
  };
  const auto refused = database->write([&](Transaction& t) -> Outcome<void> {
    insert(t);
    return base::refuse(base::Kind::kExists, "no");
  });
  EXPECT_EQ(refused.error().sentence, "no");
  const auto failed = database->write([&](Transaction& t) -> Outcome<void> {
    insert(t);
    t.run("insert into nowhere values ('a secret value')");
    return {};
  });
  EXPECT_EQ(failed.error().kind, base::Kind::kIo);
  EXPECT_EQ(failed.error().sentence.find("secret"), std::string::npos);
  const auto rows = database->read([](Transaction& t) -> Outcome<std::int64_t> {
    return count(t, "schema_versions");
  });
  EXPECT_EQ(*rows, static_cast<std::int64_t>(schema_versions().size()));
}

// A statement is compiled once, and what it met first must not stick to it.
TEST_F(DatabaseTest, TheSameStatementTakesAndGivesOtherValues) {
  auto database = open();
  const auto told = database->write([](Transaction& t) -> Outcome<std::string> {
    std::string text;
    const auto tell = [&](const std::string& sql) {
      const auto row = t.query(sql).front();
      text += (row.is_null(0) ? "null" : row.text(0)) + " " +
              (row.is_null(1) ? "null" : std::to_string(row.integer(1))) + "; ";
    };
    t.run("create table things (word text, at bigint)");
    const std::vector<std::pair<Value, Value>> things{
        {std::string("text"), std::int64_t{1}},
        {nullptr, std::int64_t{6'000'000'000}},
        {std::string(), nullptr},
        {std::string("7"), std::int64_t{-6'000'000'000}}};
    for (const auto& [word, at] : things) {
      t.run("delete from things");
      t.run("insert into things (word, at) values (:w, :a)", {word, at});
      tell("select word, at from things");
      tell("select max(word), sum(at) from things");
    }
    return text;
  });
  ASSERT_TRUE(told) << told.error().sentence;
  EXPECT_EQ(*told,
            "text 1; text 1; null 6000000000; null 6000000000;  null;  null; "
            "7 -6000000000; 7 -6000000000; ");
}

TEST_F(DatabaseTest, AStatementThatFailedCanBeTriedAgain) {
  auto database = open();
  const auto insert = [&](std::int64_t version) {
    return database
        ->write([&](Transaction& t) -> Outcome<void> {
          t.run("insert into schema_versions (version, what, at) values (:v, 'x', 0)",
                {version});
          return {};
        })
        .has_value();
  };
  EXPECT_TRUE(insert(-1));
  EXPECT_FALSE(insert(-1));
  EXPECT_TRUE(insert(-2));
  // Its table is gone for a while.
  ASSERT_TRUE(database->write([](Transaction& t) -> Outcome<void> {
    t.run("alter table schema_versions rename to kept");
    return {};
  }));
  EXPECT_FALSE(insert(-3));
  ASSERT_TRUE(database->write([](Transaction& t) -> Outcome<void> {
    t.run("alter table kept rename to schema_versions");
    return {};
  }));
  EXPECT_TRUE(insert(-3));
}

TEST_F(DatabaseTest, MoreStatementsThanAreKeptDoNoHarm) {
  auto database = open();
  const auto sum = database->read([](Transaction& t) -> Outcome<std::int64_t> {
    std::int64_t all = 0;
    for (int i = 0; i < 1500; ++i) {
      all += t.query("select " + std::to_string(i) + " + :a", {std::int64_t{1}})
                 .front()
                 .integer(0);
    }
    return all;
  });
  ASSERT_TRUE(sum) << sum.error().sentence;
  EXPECT_EQ(*sum, 1500 * 1499 / 2 + 1500);
}

TEST_F(DatabaseTest, GivesTheRoomOfRemovedRowsBack) {
  const auto database = open();
  const auto size = [&] {
    // What is in the write-ahead log is not in the file yet.
    EXPECT_TRUE(database->write([](Transaction& t) -> Outcome<void> {
      t.run("update identity set at = at");
      return {};
    }));
    return database
        ->read([](Transaction& t) -> Outcome<std::int64_t> {
          return t.query("pragma page_count").front().integer(0);
        })
        .value();
  };
  ASSERT_TRUE(database->write([](Transaction& t) -> Outcome<void> {
    for (int i = 0; i < 6000; ++i) {
      t.run("insert into sites (name, backup_every) values (:n, 0)",
            {std::to_string(i) + std::string(4000, 'x')});
    }
    return {};
  }));
  const auto full = size();
  EXPECT_EQ(database->give_room_back().value(), 0u);
  ASSERT_TRUE(database->write([](Transaction& t) -> Outcome<void> {
    t.run("delete from sites");
    return {};
  }));
  EXPECT_GT(database->give_room_back().value(), 10'000'000u);
  EXPECT_LT(size(), full / 2);
}

TEST_F(DatabaseTest, BringsAFirstVersionsRowsAlong) {
  // As a reader, which asks for no identity.
  ASSERT_TRUE(open()->read([&](Transaction& t) -> Outcome<void> {
    for (const auto* table : {"last_contacts",
                              "identity",
                              "backup_offers",
                              "revisions",
                              "backup_files",
                              "device_networks",
                              "devices",
                              "sites",
                              "account_keys",
                              "accounts",
                              "handed_lists",
                              "kit_parts",
                              "kits",
                              "documents",
                              "vouches",
                              "members",
                              "image_platforms",
                              "image_names",
                              "offers",
                              "images",
                              "ledger",
                              "ledger_names",
                              "change_log",
                              "numbers",
                              "people",
                              "tokens",
                              "people_seen",
                              "ledger_cuts",
                              "device_state",
                              "route_rules",
                              "jobs",
                              "job_images",
                              "job_events",
                              "job_offers",
                              "rollouts",
                              "rescues",
                              "rescue_names",
                              "mirrors",
                              "mirror_records",
                              "mirror_contents",
                              "mirror_standing",
                              "rescue_events",
                              "known_hosts",
                              "notice_conditions",
                              "notices_waiting",
                              "nodes",
                              "leases",
                              "boards",
                              "board_transfers",
                              "board_contacts"}) {
      t.run(std::string("drop table ") + table);
    }
    t.run("delete from schema_versions where version > 1");
    for (const auto& statement : schema_versions().front().statements) t.run(statement);
    t.run(
        "insert into ledger (id, at, event, actor, protocol, name, bytes, duration_ms, "
        "resent, outcome, sentence) values (1, 2, 'fetch', '192.0.2.7', 'tftp', 'x', 3, "
        "4, 5, 'complete', '')");
    // One content under two names, as the first version knew it.
    for (const auto* row : {"(1, 'x.img', 5, 'm', 's', 'same', 't', 7, 'operator')",
                            "(2, 'y.img', 5, 'm', 's', 'same', 't', 8, 'operator')",
                            "(3, 'z.img', 6, 'm', 's', 'other', 't', 9, 'operator')"}) {
      t.run(std::string("insert into images (id, name, size, md5, sha1, sha256, sha512, "
                        "taken_in_at, taken_in_by) values ") +
            row);
    }
    t.run("insert into offers (name, image, since) values ('x.img', 1, 7)");
    t.run("insert into offers (name, image, since) values ('y.img', 2, 8)");
    return {};
  }));
  const auto told = open()->read([](Transaction& t) -> Outcome<std::string> {
    std::string text;
    for (const auto* sql :
         {"select actor || '|' || heard_on from ledger",
          "select name || ' ' || read_at || ' ' || vouching from images order by id",
          "select n.name || '>' || i.name from image_names n join images i on i.id = "
          "n.image order by n.name",
          "select o.name || '>' || i.name || ' ' || o.since from offers o join images i "
          "on i.id = o.image where o.ended_at is null order by o.name",
          "select count(*) from image_platforms",
          "select last from numbers where what = 'images'"}) {
      for (const auto& row : t.query(sql)) text += row.text(0) + "\n";
    }
    return text;
  });
  ASSERT_TRUE(told) << told.error().sentence;
  EXPECT_EQ(*told,
            "192.0.2.7|\n"
            "x.img 7 unvouched\nz.img 9 unvouched\n"
            "x.img>x.img\ny.img>x.img\nz.img>z.img\n"
            "x.img>x.img 7\ny.img>x.img 8\n"
            "2\n3\n");
}

TEST_F(DatabaseTest, WhateverTheWorkThrowsTheNextWriterFindsNoOpenTransaction) {
  const auto database = open();
  ASSERT_TRUE(database->write([](Transaction& t) -> Outcome<void> {
    t.run("create table x (a bigint)");
    return {};
  }));
  EXPECT_THROW((void)database->write([](Transaction& t) -> Outcome<void> {
    t.run("insert into x values (1)");
    t.changed("x", "1");
    throw std::bad_alloc();
  }),
               std::bad_alloc);
  EXPECT_THROW((void)database->read([](Transaction&) -> Outcome<void> {
    throw std::runtime_error("no memory, say");
  }),
               std::runtime_error);
  EXPECT_TRUE(database->write([](Transaction& t) -> Outcome<void> {
    t.run("insert into x values (2)");
    return {};
  }));
  const auto sum = database->read([](Transaction& t) -> Outcome<std::int64_t> {
    return t.query("select sum(a) from x").front().integer(0);
  });
  EXPECT_EQ(sum, 2);
}

TEST_F(DatabaseTest, RefusesANewerSchema) {
  open()->write([](Transaction& t) -> Outcome<void> {
    t.run("insert into schema_versions (version, what, at) values (99, 'later', 0)");
    return {};
  });
  const auto opened = Database::open(path());
  ASSERT_FALSE(opened);
  EXPECT_EQ(opened.error().sentence,
            path() + ": a newer vantrod wrote this (schema 99; this one knows " +
                std::to_string(schema_versions().size()) + "); start the newer one");
}

TEST_F(DatabaseTest, RefusesDamageAndLeavesTheFileAlone) {
  open();
  const auto sound = fakes::read_file(path());
  // Each page that matters, and a file that never was a database.
  for (const std::size_t at : {std::size_t{0}, std::size_t{100}, std::size_t{4096}}) {
    auto damaged = sound;
    for (std::size_t i = at; i < at + 60; ++i) damaged[i] = '\x5a';
    fakes::write_file(path(), damaged);
    const auto opened = Database::open(path());
    ASSERT_FALSE(opened) << at;
    EXPECT_EQ(opened.error().kind, base::Kind::kCorrupt) << at;
    EXPECT_EQ(fakes::read_file(path()), damaged);
  }
}

TEST_F(DatabaseTest, SaysThatAFolderCannotBeOpened) {
  const auto opened = Database::open("/proc/none/vantro.db");
  ASSERT_FALSE(opened);
  EXPECT_EQ(opened.error().sentence,
            "/proc/none/vantro.db: the database can't be opened");
}

}  // namespace
}  // namespace vantro::db
