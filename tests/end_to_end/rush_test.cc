// Many devices deposit at once, and the server is killed in the middle of it, again and
// again: what it has acknowledged is there and whole, and what it has not is marked so.
#include <atomic>
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <random>
#include <set>
#include <signal.h>
#include <thread>

#include "tests/end_to_end/depositors.h"
#include "tests/end_to_end/ssh_fixture.h"
#include "tests/fakes/sha256.h"

namespace vantro::end_to_end {
namespace {

constexpr int kKills = 50;
constexpr int kDevices = 24;

// What a device sends the n-th time: text that says whose it is, of any size.
std::string configuration(const std::string& device, int turn) {
  std::mt19937 random(static_cast<unsigned>(turn * 1000) +
                      static_cast<unsigned>(std::hash<std::string>{}(device) % 1000));
  std::string text = fmt::format("hostname {} turn {}\n", device, turn);
  const auto size = text.size() + random() % 20'000;
  while (text.size() < size) text += fmt::format(" line {}\n", random());
  return text;
}

class Rush : public SshFixture, public testing::WithParamInterface<int> {
 protected:
  void SetUp() override {
    make_key("key");
    // Half of the runs encrypt.
    if (encrypts()) {
      ASSERT_EQ(run({vantrod_program(), "--new-key", scratch_ / "keys"}).code, 0);
      fakes::write_file(scratch_ / "vantro.toml",
                        "[backups]\nkey_file = \"" + (scratch_ / "keys") + "\"\n");
    } else {
      fakes::write_file(scratch_ / "vantro.toml", "");
    }
    start_rush();
    add_account("night", "deposit");
    ASSERT_EQ(vantro({"account", "key", "add", "night", scratch_ / "key.pub"}).code, 0);
    ports_.account = "night";
    // A password takes longer to be looked at than most servers here live.
    ports_.key = scratch_ / "key";
  }
  bool encrypts() const { return GetParam() % 2 == 1; }
  void start_rush() {
    start({"--config", scratch_ / "vantro.toml"});
    ports_.tftp = static_cast<std::uint16_t>(tftp_port_);
    ports_.ftp = static_cast<std::uint16_t>(ftp_port_);
    ports_.http = static_cast<std::uint16_t>(http_port_);
    ports_.ssh = static_cast<std::uint16_t>(ssh_port_);
  }

  ServerPorts ports_;
};

TEST_P(Rush, KeepsWhatItAcknowledgedThroughKills) {
  struct Device {
    std::string address;
    Over over = Over::kTftp;
    int turn = 0;                // of the upload that is sent next
    std::vector<int> completed;  // turns that were acknowledged
  };
  std::vector<Device> devices(kDevices);
  for (int i = 0; i < kDevices; ++i) {
    auto& device = devices[static_cast<std::size_t>(i)];
    device.address = fmt::format("127.9.{}.{}", GetParam(), i + 1);
    device.over = std::array{Over::kTftp, Over::kFtp, Over::kHttp,
                             Over::kScp}[static_cast<std::size_t>(i % 4)];
  }
  std::mt19937 random(static_cast<unsigned>(GetParam()));
  for (int kill = 0; kill < kKills; ++kill) {
    std::atomic<bool> stopping = false;
    std::atomic<int> completed = 0;
    std::vector<std::thread> threads;
    for (auto& device : devices) {
      threads.emplace_back([&] {
        while (!stopping) {
          const auto turn = device.turn++;
          if (!deposit(device.over, ports_, device.address, "site.cfg",
                       configuration(device.address, turn))) {
            return;
          }
          device.completed.push_back(turn);
          ++completed;
        }
      });
    }
    ::usleep(2'000 + random() % 150'000);
    // A slow server, as under a sanitizer, would acknowledge nothing in that time.
    if (kill % 4 == 0) {
      EXPECT_TRUE(fakes::eventually([&] { return completed > 0; }));
    }
    server_->signal(SIGKILL);
    stopping = true;
    EXPECT_EQ(server_->wait(), 128 + SIGKILL);
    for (auto& thread : threads) thread.join();
    start_rush();
  }
  std::map<Over, std::size_t> acknowledged;
  std::size_t partial = 0;
  for (const auto& device : devices) {
    acknowledged[device.over] += device.completed.size();
    // By number; the SHA-256 of a complete one tells which turn it is.
    std::map<std::string, int> turns;
    for (int turn = 0; turn < device.turn; ++turn) {
      turns[fakes::sha256_of(configuration(device.address, turn))] = turn;
    }
    std::set<int> kept;
    const auto all = vantro_json({"backup", "revisions", device.address})["backups"];
    for (const auto& one : all) {
      if (!one["complete"].get<bool>()) {
        ++partial;
        EXPECT_FALSE(one["why"].get<std::string>().empty());
        continue;
      }
      const auto found = turns.find(one["digests"]["sha256"].get<std::string>());
      ASSERT_NE(found, turns.end()) << one;
      kept.insert(found->second);
    }
    for (const auto turn : device.completed) {
      EXPECT_TRUE(kept.contains(turn)) << device.address << " turn " << turn;
    }
  }
  // The records are one thing, the bytes another.
  EXPECT_EQ(vantro({"verify"}).code, 0);
  EXPECT_TRUE(std::filesystem::is_empty(own_state() + "/arriving"));
  std::size_t all = 0;
  for (const auto& [over, count] : acknowledged) {
    all += count;
    RecordProperty(fmt::format("acknowledged_{}", static_cast<int>(over)),
                   static_cast<int>(count));
  }
  EXPECT_GT(all, 0u);
  RecordProperty("partial", static_cast<int>(partial));
}

class ScpRush : public SshFixture {};

// Passwords wait for each other; a hundred times the same one is looked at once.
TEST_F(ScpRush, AHundredDevicesWithOneAccountAreLetInAtOnce) {
  start_again("[ssh]\nconnections = 200\nlog_in_s = 200\n");
  ServerPorts ports;
  ports.ssh = static_cast<std::uint16_t>(ssh_port_);
  ports.account = "night";
  ports.password = kPassword;
  std::atomic<int> kept = 0;
  std::vector<std::thread> threads;
  for (int i = 1; i <= 100; ++i) {
    threads.emplace_back([&, i] {
      const auto address = fmt::format("127.9.8.{}", i);
      if (deposit(Over::kScp, ports, address, "site.cfg", configuration(address, 0))) {
        ++kept;
      }
    });
  }
  for (auto& thread : threads) thread.join();
  EXPECT_EQ(kept, 100);
}

// Four of them, so that they can run beside each other: two hundred kills.
INSTANTIATE_TEST_SUITE_P(Kills, Rush, testing::Range(1, 5));

}  // namespace
}  // namespace vantro::end_to_end
