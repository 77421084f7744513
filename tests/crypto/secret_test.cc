// Where private keys are in memory.
#include "crypto/secret.h"

#include <filesystem>
#include <fstream>
#include <gtest/gtest.h>
#include <openssl/crypto.h>
#include <regex>
#include <sys/resource.h>

#include "base/clock.h"
#include "crypto/certificate.h"
#include "crypto/tls.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::crypto {
namespace {

TEST(Secret, KeysOfTlsAreInLockedMemory) {
  lock_keys_in_memory();
  ASSERT_EQ(CRYPTO_secure_malloc_initialized(), 1);
#if !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
  // A sanitizer locks nothing; nor does a system that lets nobody lock so much.
  rlimit most{};
  ASSERT_EQ(::getrlimit(RLIMIT_MEMLOCK, &most), 0);
  if (most.rlim_cur >= (1 << 20)) {
    std::ifstream status("/proc/self/status");
    const std::string text{std::istreambuf_iterator<char>(status), {}};
    std::smatch locked;
    ASSERT_TRUE(std::regex_search(text, locked, std::regex("VmLck:\\s+(\\d+) kB")));
    EXPECT_GE(std::stoi(locked[1]), 256);
  }
#endif

  const auto made = make_certificate({"weir.example"}, {}, base::SystemClock().wall());
  ASSERT_TRUE(made);
  const fakes::ScratchFolder scratch;
  fakes::write_file(scratch / "cert.pem", made->certificate);
  fakes::write_file(scratch / "key.pem", made->key);
  std::filesystem::permissions(scratch / "key.pem", std::filesystem::perms::owner_read);
  const auto before = CRYPTO_secure_used();
  const auto server = TlsServer::load(scratch / "cert.pem", scratch / "key.pem");
  ASSERT_TRUE(server) << server.error().sentence;
  EXPECT_GT(CRYPTO_secure_used(), before);
}

}  // namespace
}  // namespace vantro::crypto
