// Several real vantrods on one state folder and one real PostgreSQL: what one does the
// others know, whatever dies.
#include <array>
#include <atomic>
#include <cstdlib>
#include <filesystem>
#include <gmock/gmock.h>
#include <iostream>
#include <map>
#include <mutex>
#include <random>
#include <set>
#include <signal.h>
#include <thread>

#include "crypto/digests.h"
#include "tests/end_to_end/cut_relay.h"
#include "tests/end_to_end/node_server.h"
#include "tests/end_to_end/postgresql_server.h"
#include "tests/end_to_end/server_fixture.h"
#include "tests/fakes/eventually.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::end_to_end {
namespace {

using std::chrono::milliseconds;
using std::chrono::steady_clock;
using testing::HasSubstr;

class Nodes : public testing::Test {
 protected:
  std::string state() const { return scratch_ / "the state"; }
  std::unique_ptr<NodeServer> node(const std::string& name) const {
    return std::make_unique<NodeServer>(name, state(), scratch_.path());
  }
  std::unique_ptr<NodeServer> started(const std::string& name,
                                      const Arguments& more = {}) const {
    auto made = node(name);
    made->begin(postgresql_.url(), more);
    EXPECT_TRUE(made->ready()) << made->err();
    return made;
  }
  void add_image(const NodeServer& at, const std::string& name,
                 const std::string& bytes) const {
    fakes::write_file(scratch_ / name, bytes);
    const auto added = at.vantro({"image", "add", scratch_ / name, "--name", name});
    ASSERT_EQ(added.code, 0) << added.err;
  }
  static nlohmann::json json(const NodeServer& at, Arguments arguments) {
    arguments.insert(arguments.begin(), "--json");
    const auto output = at.vantro(arguments);
    EXPECT_EQ(output.code, 0) << output.err;
    return read_json(output.out);
  }
  // "a alive, b silent"
  static std::string states(const NodeServer& at) {
    std::string text;
    for (const auto all = json(at, {"node", "list"})["nodes"]; const auto& one : all) {
      text += (text.empty() ? "" : ", ") + one["name"].get<std::string>() + " " +
              one["state"].get<std::string>();
    }
    return text;
  }
  static bool on_record(const NodeServer& at, const std::string& event,
                        const std::string& words) {
    for (const auto rows = json(at, {"ledger", "--event", event})["entries"];
         const auto& one : rows) {
      if (one["sentence"].get<std::string>().find(words) != std::string::npos)
        return true;
    }
    return false;
  }

  fakes::ScratchFolder scratch_;
  PostgresqlServer postgresql_;
};

TEST_F(Nodes, KnowEachOthersImagesTransfersAndContacts) {
  const auto a = started("a");
  const auto b = started("b");
  EXPECT_EQ(states(*a), "a alive, b alive");
  EXPECT_THAT(a->vantro({"status"}).out,
              HasSubstr("  node        a; 2 of 2 nodes report"));
  // More than the sockets between them hold.
  const auto bytes = fakes::noise(40'000'000, 3);
  add_image(*a, "x.img", bytes);
  const auto fetched = [&](const NodeServer& at) {
    return run({"curl", "-s", "-f", "-m", "60", at.http_url("/x.img")}).out;
  };
  EXPECT_TRUE(fakes::eventually([&] { return fetched(*b) == bytes; }));
  // A transfer on b, as a's people see it.
  Process slow(
      {"curl", "-s", "--limit-rate", "200K", "-o", "/dev/null", b->http_url("/x.img")},
      {}, "", "");
  EXPECT_TRUE(fakes::eventually([&] {
    for (const auto all = json(*a, {"transfer", "list"})["transfers"];
         const auto& one : all) {
      if (one["node"] == "b" && one["name"] == "x.img" && one["state"] == "running" &&
          one["bytes"] > 0) {
        return true;
      }
    }
    return false;
  }));
  const auto story = a->vantro({"contact", "127.0.0.1"});
  EXPECT_THAT(story.out, HasSubstr("x.img")) << story.err;
  slow.signal(SIGTERM);
  slow.wait();
  // A request that leaves no row in the ledger.
  run({"curl", "-s", "-m", "5", "-X", "BREW", b->http_url("/")});
  EXPECT_TRUE(fakes::eventually([&] {
    const auto contacts = json(*a, {"contact"})["contacts"];
    return contacts.size() == 1 && contacts[0]["requests"] >= 2;
  })) << json(*a, {"contact"});
  // What one withdraws, the other does not hand out.
  EXPECT_EQ(b->vantro({"image", "withdraw", "x.img", "--reason", "bad"}).code, 0);
  EXPECT_TRUE(fakes::eventually([&] { return fetched(*a).empty(); }));
  EXPECT_EQ(b->stop(), 0) << b->err();
  EXPECT_EQ(states(*a), "a alive, b stopped");
  EXPECT_EQ(a->vantro({"node", "remove", "b", "--yes"}).out, "b: forgotten\n");
  EXPECT_EQ(states(*a), "a alive");
}

TEST_F(Nodes, ANameAndAStateFolderAreNotUsedTwice) {
  const auto a = started("a");
  // The same name; and a server that has a database of its own.
  std::filesystem::create_directory(scratch_ / "second");
  NodeServer second("a", state(), scratch_ / "second");
  second.begin(postgresql_.url());
  EXPECT_FALSE(second.ready());
  EXPECT_THAT(second.err(), HasSubstr("is this node; stop it first, or give this one its "
                                      "own name (node.name)"));
  const auto alone =
      run({vantrod_program(), "--state", state(), "--tftp-listen", "127.0.0.1:0",
           "--management-listen", "127.0.0.1:0", "--management-socket", "none"});
  EXPECT_EQ(alone.code, 1);
  EXPECT_THAT(alone.err,
              HasSubstr("nodes with a PostgreSQL database work on this state"));
}

// Its uploads, its rows, its work: another node takes all of it over.
TEST_F(Nodes, WhatADeadNodeLeavesIsClearedUp) {
  const auto a = started("a");
  // It has the leases: b is not there yet.
  EXPECT_TRUE(fakes::eventually([&] {
    const auto works = json(*a, {"node", "list"})["nodes"][0]["works"];
    return works.size() >= 4;
  }));
  const auto b = started("b");
  add_image(*a, "x.img", fakes::noise(40'000'000, 5));
  fakes::write_file(scratch_ / "night.cfg", fakes::noise(2'000'000, 4));
  Process upload({"curl", "-s", "--limit-rate", "100K", "-T", scratch_ / "night.cfg",
                  a->http_url("/night.cfg")},
                 {}, "", "");
  const auto arriving = state() + "/nodes/a/arriving";
  EXPECT_TRUE(fakes::eventually([&] {
    for (const auto& one : std::filesystem::directory_iterator(arriving)) {
      if (one.file_size() > 50'000) return true;
    }
    return false;
  }));
  // A device that fetches from it goes on at the other.
  run({"curl", "-s", "-m", "1", "--limit-rate", "500K", "-o", scratch_ / "fetched",
       a->http_url("/x.img")});
  ASSERT_GT(std::filesystem::file_size(scratch_ / "fetched"), 0u);
  a->kill();
  EXPECT_NE(upload.wait(), 0);
  EXPECT_EQ(run({"curl", "-s", "-f", "-C", "-", "-o", scratch_ / "fetched",
                 b->http_url("/x.img")})
                .code,
            0);
  EXPECT_TRUE(fakes::same_bytes(fakes::read_file(scratch_ / "fetched"),
                                fakes::noise(40'000'000, 5)));
  EXPECT_TRUE(fakes::eventually([&] {
    return on_record(*b, "node-taken-over",
                     "node 'a' is gone; cleared up by 'b': 1 interrupted uploads kept as "
                     "partial");
  })) << b->err();
  EXPECT_TRUE(std::filesystem::is_empty(arriving));
  const auto backups = json(*b, {"backup", "revisions"})["backups"];
  ASSERT_EQ(backups.size(), 1u);
  EXPECT_EQ(backups[0]["complete"], false);
  EXPECT_EQ(states(*b), "a silent, b alive");
  EXPECT_THAT(b->vantro({"status"}).out, HasSubstr("TROUBLE     the node 'a' on "));
  EXPECT_TRUE(fakes::eventually([&] {
    std::set<std::string> works;
    for (const auto all = json(*b, {"node", "list"})["nodes"][1]["works"];
         const auto& one : all) {
      works.insert(one.get<std::string>());
    }
    return works.contains("looks") && works.contains("digests") &&
           works.contains("notices") && works.contains("retention");
  }));
  EXPECT_TRUE(fakes::eventually([&] {
    return b->vantro({"notice", "list"}).out.find("node-gone") != std::string::npos;
  })) << b->vantro({"notice", "list"}).out;
  // It comes back, as a.
  a->begin(postgresql_.url());
  ASSERT_TRUE(a->ready()) << a->err();
  EXPECT_EQ(states(*b), "a alive, b alive");
}

TEST_F(Nodes, ADropFolderOfAllIsEmptiedByOneOfThem) {
  std::filesystem::create_directory(scratch_ / "drop");
  fakes::write_file(scratch_ / "vantro.toml",
                    "[drop]\nfolder = \"" + (scratch_ / "drop") + "\"\nsettle_s = 1\n");
  const Arguments settings{"--config", scratch_ / "vantro.toml"};
  auto a = started("a", settings);
  const auto b = started("b", settings);
  for (int i = 0; i < 5; ++i) {
    fakes::write_file(scratch_ / ("drop/" + std::to_string(i) + ".img"),
                      fakes::noise(1000, static_cast<unsigned>(i)));
  }
  const auto images = [&] { return json(*b, {"image", "list"})["images"].size(); };
  EXPECT_TRUE(fakes::eventually([&] { return images() == 5; }));
  const auto rows = json(*b, {"ledger", "--event", "image-add"})["entries"];
  EXPECT_EQ(rows.size(), 5u) << rows;
  // Its owner dies; the other one goes on with it.
  a->kill();
  fakes::write_file(scratch_ / "drop/later.img", "later");
  EXPECT_TRUE(fakes::eventually([&] { return images() == 6; }));
}

// The setting database.keep_uploads.
TEST_F(Nodes, BackupsAreKeptAndFiledInTheirOrderWhileTheDatabaseIsAway) {
  // Configurations are encrypted, here too.
  ASSERT_EQ(run({vantrod_program(), "--new-key", scratch_ / "keys"}).code, 0);
  fakes::write_file(scratch_ / "vantro.toml",
                    "[database]\nkeep_uploads = true\n[backups]\nkey_file = \"" +
                        (scratch_ / "keys") + "\"\n");
  const Arguments settings{"--config", scratch_ / "vantro.toml"};
  auto a = started("a", settings);
  auto b = started("b", settings);
  add_image(*a, "x.img", "the image");
  const auto send = [&](const NodeServer& to, const std::string& name,
                        const std::string& bytes) {
    fakes::write_file(scratch_ / "sent", bytes);
    return run(
        {"curl", "-sS", "-m", "30", "-T", scratch_ / "sent", to.http_url("/" + name)});
  };
  ASSERT_EQ(send(*a, "night.cfg", "first\n").code, 0);
  postgresql_.kill();
  ASSERT_TRUE(fakes::eventually([&] {
    return a->vantro({"status"}).out.find("does not answer") != std::string::npos;
  }));
  for (const auto* bytes : {"second\n", "third\n"}) {
    const auto sent = send(*a, "night.cfg", bytes);
    EXPECT_THAT(sent.out,
                HasSubstr("is safe on the server's disk; it gets its number when "
                          "the database is back"));
  }
  // Twice the same name over one connection.
  fakes::write_file(scratch_ / "again", "fifth\n");
  EXPECT_EQ(run({"curl", "-sS", "-T", scratch_ / "sent", a->ftp_url("/other.cfg"), "-T",
                 scratch_ / "again", a->ftp_url("/other.cfg")})
                .code,
            0);
  EXPECT_EQ(run({"curl", "-sS", "-T", scratch_ / "sent", a->tftp_url("tftp.cfg")}).code,
            0);
  ASSERT_TRUE(fakes::eventually([&] {
    return b->vantro({"status"}).out.find("does not answer") != std::string::npos;
  }));
  EXPECT_THAT(send(*b, "of-b.cfg", "of b\n").out, HasSubstr("is safe"));
  for (const auto& one : std::filesystem::directory_iterator(state() + "/nodes/a/kept")) {
    EXPECT_EQ(fakes::read_file(one.path()).find("second"), std::string::npos) << one;
  }
  EXPECT_THAT(a->vantro({"status"}).out,
              HasSubstr("backups that wait on this node's disk for the database: 5"));
  EXPECT_EQ(run({"curl", "-s", "-m", "60", a->http_url("/x.img")}).out, "the image");
  // What was acknowledged survives a kill, and another node files it.
  b->kill();
  postgresql_.start();
  EXPECT_TRUE(fakes::eventually([&] {
    const auto answer = a->vantro({"--json", "backup", "revisions"});
    return answer.code == 0 && read_json(answer.out)["backups"].size() == 7;
  })) << a->vantro({"backup", "revisions"}).out;
  EXPECT_TRUE(fakes::eventually([&] {
    return a->vantro({"status"}).out.find("wait on this node's disk") ==
           std::string::npos;
  }));
  const auto saved = [&](const std::string& name, const std::string& revision) {
    return a
        ->vantro(
            {"backup", "write", "127.0.0.1", name, "--revision", revision, "--out", "-"})
        .out;
  };
  EXPECT_EQ(saved("night.cfg", "1"), "first\n");
  EXPECT_EQ(saved("night.cfg", "2"), "second\n");
  EXPECT_EQ(saved("night.cfg", "3"), "third\n");
  EXPECT_EQ(saved("other.cfg", "1"), "third\n");
  EXPECT_EQ(saved("other.cfg", "2"), "fifth\n");
  EXPECT_EQ(saved("of-b.cfg", "1"), "of b\n");
  int rows = 0;
  for (const auto all = json(*a, {"ledger", "--event", "deposit"})["entries"];
       const auto& one : all) {
    const auto sentence = one["sentence"].get<std::string>();
    rows += one["outcome"] == "complete" &&
            sentence.find("kept on the server's disk") != std::string::npos;
  }
  EXPECT_EQ(rows, 6);
  EXPECT_TRUE(std::filesystem::is_empty(state() + "/nodes/a/kept"));
  EXPECT_TRUE(std::filesystem::is_empty(state() + "/nodes/b/kept"));
}

// Killed at random, three of them, the database too; the link of one is cut for a while.
// VANTRO_ROUNDS says how often.
class RandomDeaths : public Nodes {
 protected:
  static int rounds() {
    const char* given = std::getenv("VANTRO_ROUNDS");
    return given == nullptr ? 5 : std::atoi(given);
  }
};

struct Acknowledged {
  std::mutex mutex;
  std::map<std::string, std::string> backups;  // their bytes, by name
  std::map<std::string, std::string> images;
  int fetches = 0;
  std::vector<std::string> wrong;
};

TEST_F(RandomDeaths, LoseNothingThatWasAcknowledged) {
  CutRelay relay(postgresql_.port());
  const auto through_relay =
      "postgresql://vantro@127.0.0.1:" + std::to_string(relay.port()) + "/vantro";
  std::vector<std::unique_ptr<NodeServer>> nodes;
  std::vector<std::string> urls{postgresql_.url(), postgresql_.url(), through_relay};
  for (const auto* name : {"a", "b", "c"}) {
    nodes.push_back(node(name));
    nodes.back()->begin(urls[nodes.size() - 1]);
    ASSERT_TRUE(nodes.back()->ready()) << nodes.back()->err();
  }
  const auto image = fakes::noise(300'000, 1);
  add_image(*nodes[0], "x.img", image);
  // One lock for each: its ports change with each start.
  std::array<std::mutex, 3> at;
  Acknowledged done;
  std::atomic<bool> over = false;
  // They end with the test, however it does.
  struct Clients : std::vector<std::thread> {
    explicit Clients(std::atomic<bool>& the_end) : ended(the_end) {}
    ~Clients() { join(); }
    Clients(const Clients&) = delete;
    Clients& operator=(const Clients&) = delete;
    void join() {
      ended = true;
      for (auto& one : *this) one.join();
      clear();
    }
    std::atomic<bool>& ended;
  } clients(over);
  for (int client = 0; client < 6; ++client) {
    clients.emplace_back([&, client] {
      std::mt19937 random(static_cast<unsigned>(client));
      for (int i = 0; !over; ++i) {
        const auto which = random() % nodes.size();
        const auto name = std::to_string(client) + "-" + std::to_string(i);
        std::string http;
        Environment environment;
        std::string tftp;
        {
          const std::lock_guard lock(at[which]);
          http = nodes[which]->http_url("/");
          tftp = nodes[which]->tftp_url(name);
          environment = nodes[which]->client_environment();
        }
        const auto here = scratch_ / ("client-" + name);
        if (client < 3) {
          const auto bytes = fakes::noise(1 + random() % 200'000, random());
          fakes::write_file(here, bytes);
          const auto sent = run({"curl", "-s", "-f", "-m", "10", "-T", here,
                                 client == 0 ? tftp : http + name});
          const std::lock_guard lock(done.mutex);
          if (sent.code == 0) done.backups[name] = bytes;
        } else if (client < 5) {
          const auto got =
              run({"curl", "-s", "-f", "-m", "10", "-o", here, http + "x.img"});
          const std::lock_guard lock(done.mutex);
          if (got.code == 0) ++done.fetches;
          if (got.code == 0 && fakes::read_file(here) != image) {
            done.wrong.push_back(name + " differs");
          }
        } else {
          const auto bytes = fakes::noise(20'000, random());
          fakes::write_file(here, bytes);
          const auto added =
              run({vantro_program(), "image", "add", here, "--name", name + ".img"},
                  environment);
          const std::lock_guard lock(done.mutex);
          if (added.code == 0) done.images[name + ".img"] = bytes;
        }
        std::filesystem::remove(here);
      }
    });
  }
  // Who says that it holds which lease, as which holder.
  std::map<std::string, std::string> holders;
  const auto look_at_leases = [&] {
    for (const auto& one : nodes) {
      if (!one->running()) continue;
      const auto page =
          run({"curl", "-s", "-m", "5", one->management_url("/metrics")}).out;
      const std::string word = "vantro_lease_holder{";
      for (auto from = page.find("\n" + word); from != std::string::npos;
           from = page.find("\n" + word, from + 1)) {
        const auto line = page.substr(from + 1, page.find('\n', from + 1) - from - 1);
        const auto [known, is_new] = holders.emplace(line, one->name());
        if (!is_new && known->second != one->name()) {
          ADD_FAILURE() << line << " is held by " << known->second << " and "
                        << one->name();
        }
      }
    }
  };
  std::mt19937 random(4);
  for (int round = 0; round < rounds(); ++round) {
    std::this_thread::sleep_for(milliseconds(300 + random() % 700));
    look_at_leases();
    const auto what = random() % 10;
    if (what == 0) {
      postgresql_.kill();
      std::this_thread::sleep_for(milliseconds(random() % 1500));
      postgresql_.start();
      continue;
    }
    if (what == 1) {
      relay.hold(true);
      // In a long run, for up to a minute.
      std::this_thread::sleep_for(
          milliseconds(random() % (rounds() > 50 ? 60'000 : 12'000)));
      relay.hold(false);
      continue;
    }
    const auto which = random() % nodes.size();
    const std::lock_guard lock(at[which]);
    nodes[which]->kill();
    std::this_thread::sleep_for(milliseconds(random() % 300));
    nodes[which]->begin(urls[which]);
    ASSERT_TRUE(nodes[which]->ready()) << nodes[which]->err();
  }
  clients.join();
  look_at_leases();
  EXPECT_THAT(done.wrong, testing::IsEmpty());
  EXPECT_GT(done.backups.size(), 0u);
  EXPECT_GT(done.fetches, 0);
  const auto& any = *nodes[0];
  ASSERT_TRUE(fakes::eventually([&] {
    return any.vantro({"backup", "list"}).code == 0;
  }));
  for (const auto& [name, bytes] : done.backups) {
    const auto saved = any.vantro({"backup", "write", "127.0.0.1", name, "--out", "-"});
    EXPECT_TRUE(fakes::same_bytes(saved.out, bytes)) << name << ": " << saved.err;
  }
  for (const auto& [name, bytes] : done.images) {
    EXPECT_EQ(run({"curl", "-s", "-f", any.http_url("/" + name)}).out, bytes) << name;
  }
  const auto verified = any.vantro({"ledger", "verify"});
  EXPECT_EQ(verified.code, 0) << verified.out << verified.err;
  const auto read = any.vantro({"verify"});
  EXPECT_EQ(read.code, 0) << read.out << read.err;
  // A name stands for one thing.
  EXPECT_EQ(
      run({"/usr/bin/psql", postgresql_.url(), "-qAtc",
           "select count(*) from (select name from image_names group by name having "
           "count(*) > 1) as twice"})
          .out,
      "0\n");
  RecordProperty("acknowledged", static_cast<int>(done.backups.size()));
  RecordProperty("images", static_cast<int>(done.images.size()));
  RecordProperty("fetches", done.fetches);
  std::cout << done.backups.size() << " backups, " << done.images.size() << " images, "
            << done.fetches << " fetches, " << holders.size() << " holders of leases\n";
}

}  // namespace
}  // namespace vantro::end_to_end
