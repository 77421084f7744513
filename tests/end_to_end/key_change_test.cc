// The key that configurations are encrypted with is changed again and again, and the
// server is killed while it encrypts them anew: each file is there, by the old key or by
// the new one.
#include <atomic>
#include <filesystem>
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <random>
#include <signal.h>
#include <thread>

#include "tests/end_to_end/depositors.h"
#include "tests/end_to_end/server_fixture.h"

namespace vantro::end_to_end {
namespace {

constexpr int kFiles = 160;
constexpr int kChanges = 12;

class KeyChange : public ServerFixture {
 protected:
  void SetUp() override {
    fakes::write_file(scratch_ / "vantro.toml",
                      "[backups]\nkey_file = \"" + (scratch_ / "keys") + "\"\n");
    new_key();
    start_again();
  }
  void new_key() {
    ASSERT_EQ(run({vantrod_program(), "--new-key", scratch_ / "keys"}).code, 0);
  }
  void start_again() { start({"--config", scratch_ / "vantro.toml"}); }
  static std::string name(int i) { return fmt::format("site-{}.cfg", i); }
  static std::string text(int i) {
    return fmt::format("hostname site-{}\n", i) + std::string(3000, 'x') + "\n";
  }
  nlohmann::json encryption() { return vantro_json({"status"})["encryption"]; }
};

TEST_F(KeyChange, KilledInTheMiddleOfItNothingIsLost) {
  ServerPorts ports;
  ports.http = static_cast<std::uint16_t>(http_port_);
  std::atomic<int> next = 0;
  std::atomic<int> kept = 0;
  std::vector<std::thread> threads;
  for (int i = 0; i < 16; ++i) {
    threads.emplace_back([&] {
      for (int file = next++; file < kFiles; file = next++) {
        if (deposit(Over::kHttp, ports, "127.9.7.1", name(file), text(file))) ++kept;
      }
    });
  }
  for (auto& thread : threads) thread.join();
  ASSERT_EQ(kept, kFiles);
  stop();
  std::mt19937 random(3);
  int cut = 0;
  for (int change = 0; change < kChanges; ++change) {
    new_key();
    start_again();
    ::usleep(random() % 150'000);
    if (change % 4 == 0 && encryption()["done"] < kFiles) ++cut;
    server_->signal(SIGKILL);
    EXPECT_EQ(server_->wait(), 128 + SIGKILL);
  }
  RecordProperty("cut", cut);
  start_again();
  ASSERT_TRUE(eventually([&] { return !encryption()["running"].get<bool>(); }));
  EXPECT_EQ(encryption()["done"], kFiles);
  // Nothing needs an older key any more.
  stop();
  const auto keys = file("keys");
  fakes::write_file(scratch_ / "keys", keys.substr(0, keys.find('\n') + 1));
  start_again();
  const auto verified = vantro({"verify"});
  EXPECT_EQ(verified.code, 0) << verified.out << verified.err;
  EXPECT_EQ(encryption()["locked"], 0);
  for (int i = 0; i < kFiles; i += 13) {
    EXPECT_EQ(vantro({"backup", "write", "127.9.7.1", name(i), "--out", "-"}).out,
              text(i));
  }
  EXPECT_TRUE(std::filesystem::is_empty(own_state() + "/arriving"));
  EXPECT_TRUE(std::filesystem::is_empty(state() + "/partial"));
}

}  // namespace
}  // namespace vantro::end_to_end
