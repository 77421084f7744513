// Parts of SSH that need no connection.
#include <gtest/gtest.h>
#include <map>
#include <sys/stat.h>

#include "serve/ssh/algorithms.h"
#include "serve/ssh/granted_files.h"
#include "serve/ssh/host_keys.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::serve::ssh {
namespace {

TEST(SshCovered, CountsEachByteOnceInAnyOrder) {
  Covered covered;
  covered.add(0, 10);
  EXPECT_EQ(covered.bytes(), 10u);
  covered.add(20, 30);
  covered.add(5, 8);
  EXPECT_EQ(covered.bytes(), 20u);
  covered.add(8, 22);
  EXPECT_EQ(covered.bytes(), 30u);
  covered.add(30, 31);
  covered.add(0, 31);
  EXPECT_EQ(covered.bytes(), 31u);
}

// Against a map of single bytes.
TEST(SshCovered, AgreesWithCountingByHand) {
  std::uint32_t seed = 7;
  const auto next = [&](std::uint32_t below) {
    seed = seed * 1664525 + 1013904223;
    return (seed >> 8) % below;
  };
  for (int run = 0; run < 200; ++run) {
    Covered covered;
    std::map<std::uint64_t, bool> bytes;
    for (int i = 0; i < 40; ++i) {
      const auto from = next(200);
      const auto until = from + 1 + next(20);
      covered.add(from, until);
      for (auto at = from; at < until; ++at) bytes[at] = true;
      ASSERT_EQ(covered.bytes(), bytes.size()) << run << " " << i;
    }
  }
}

TEST(SshAlgorithms, OfferOlderOnesBehindTheOthers) {
  const auto modern = offered({});
  for (const auto& name : older_algorithms()) {
    for (const auto* list : {&modern.key_exchange, &modern.ciphers, &modern.macs,
                             &modern.host_keys, &modern.public_keys}) {
      EXPECT_EQ(("," + *list + ",").find("," + name + ","), std::string::npos) << name;
    }
    EXPECT_TRUE(check_older(name));
  }
  const auto more = offered({"aes128-cbc", "ssh-rsa"});
  EXPECT_EQ(more.ciphers, modern.ciphers + ",aes128-cbc");
  EXPECT_EQ(more.host_keys, modern.host_keys + ",ssh-rsa");
  EXPECT_EQ(more.public_keys, modern.public_keys + ",ssh-rsa");
  EXPECT_EQ(more.key_exchange, modern.key_exchange);
  EXPECT_EQ(check_older("rot13").error().sentence.substr(0, 54),
            "'rot13' is not an older algorithm; known: diffie-hellm");
  EXPECT_EQ(older_among({"aes128-ctr", "ssh-rsa", "3des-cbc", "3des-cbc"}),
            (std::vector<std::string>{"3des-cbc", "ssh-rsa"}));
}

TEST(SshHostKeys, AreMadeOnceForTheOwnerOnly) {
  const fakes::ScratchFolder scratch;
  const base::Log log(base::Log::Form::kText, base::Log::Level::kError);
  const auto folder = scratch / "ssh";
  const auto first = host_keys(folder, log);
  ASSERT_TRUE(first) << first.error().sentence;
  ASSERT_EQ(first->size(), 3u);
  EXPECT_EQ(first->at(0).type, "ssh-ed25519");
  EXPECT_EQ(first->at(1).type, "ecdsa-sha2-nistp256");
  EXPECT_EQ(first->at(2).type, "ssh-rsa");
  struct stat file {};
  for (const char* name : {"", "/ed25519", "/ecdsa", "/rsa"}) {
    ASSERT_EQ(::stat((folder + name).c_str(), &file), 0);
    EXPECT_EQ(file.st_mode & 077, 0u) << name;
  }
  // One that others can read is closed again, and stays the same.
  ::chmod((folder + "/rsa").c_str(), 0644);
  const auto again = host_keys(folder, log);
  ASSERT_TRUE(again);
  for (std::size_t i = 0; i < 3; ++i) {
    EXPECT_EQ(again->at(i).fingerprint, first->at(i).fingerprint);
    EXPECT_TRUE(first->at(i).fingerprint.starts_with("SHA256:"));
  }
  ASSERT_EQ(::stat((folder + "/rsa").c_str(), &file), 0);
  EXPECT_EQ(file.st_mode & 0777, 0600u);
  fakes::write_file(folder + "/ecdsa", "rubbish");
  const auto damaged = host_keys(folder, log);
  ASSERT_FALSE(damaged);
  EXPECT_EQ(damaged.error().kind, base::Kind::kCorrupt);
}

}  // namespace
}  // namespace vantro::serve::ssh
