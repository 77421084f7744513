#include "crypto/sealed_stream.h"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include "base/unique_fd.h"
#include "store/sealed_file.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::crypto {
namespace {

const std::string kOne = std::string(64, '1') + "\n";
const std::string kTwo = std::string(64, '2') + "\n";

SealKeys keys(const std::string& text) {
  auto parsed = SealKeys::parse(text);
  EXPECT_TRUE(parsed) << parsed.error().sentence;
  return *parsed;
}

class SealedStream : public testing::Test {
 protected:
  std::string path() const { return scratch_ / "sealed"; }
  base::UniqueFd open(int flags = O_RDONLY) const {
    return base::UniqueFd(::open(path().c_str(), flags | O_CLOEXEC, 0600));
  }
  void seal(const std::string& plain, const SealKeys& with, bool whole = true) {
    const auto file = open(O_WRONLY | O_CREAT | O_TRUNC);
    store::SealedWriter writer(store::system_files(), *with.current());
    // In pieces of odd sizes, as they come from a network.
    for (std::size_t at = 0; at < plain.size(); at += 1001) {
      ASSERT_TRUE(writer.write(file.get(), base::as_bytes(plain.substr(at, 1001))));
    }
    ASSERT_TRUE(writer.flush(file.get(), whole));
  }
  std::string unsealed(const SealKeys& with, bool may_break_off = false) {
    const auto file = open();
    std::string plain;
    const auto done = unseal(file.get(), with, may_break_off,
                             [&](base::ByteView bytes) -> base::Outcome<void> {
                               plain += base::as_text(bytes);
                               return {};
                             });
    return done ? plain : "refused: " + done.error().sentence;
  }

  const std::string damaged_ =
      "refused: the server's stored copy is damaged: the encrypted part in it does not "
      "open";
  fakes::ScratchFolder scratch_;
};

TEST_F(SealedStream, ComesBackAsItWas) {
  for (const std::size_t size : {0ul, 1ul, 65535ul, 65536ul, 65537ul, 300'000ul}) {
    const auto plain = fakes::noise(size, 5);
    seal(plain, keys(kOne));
    EXPECT_EQ(unsealed(keys(kTwo + kOne)), plain) << size;
    EXPECT_EQ(sealed_size(open().get()), size);
    // A single byte may well stand among the others by chance.
    if (size < 20) continue;
    EXPECT_EQ(fakes::read_file(path()).find(plain.substr(0, 20)), std::string::npos);
  }
}

TEST_F(SealedStream, SaysWhichKeyIsMissing) {
  seal("secret", keys(kOne));
  EXPECT_EQ(unsealed(keys(kTwo)), "refused: it is encrypted with key " +
                                      keys(kOne).current()->id() +
                                      ", which the server does not have: put the key "
                                      "back into the file of backups.key_file");
  EXPECT_EQ(sealed_with(open().get()), keys(kOne).current()->id());
}

// Every byte counts: changed, cut off or put behind, it does not open as something else.
TEST_F(SealedStream, NoticesEveryChange) {
  const auto plain = fakes::noise(100, 5);
  seal(plain, keys(kOne));
  const auto sound = fakes::read_file(path());
  for (std::size_t at = 0; at < sound.size(); ++at) {
    auto changed = sound;
    changed[at] = static_cast<char>(changed[at] ^ 1);
    fakes::write_file(path(), changed);
    EXPECT_TRUE(unsealed(keys(kOne)).starts_with("refused: ")) << at;
    fakes::write_file(path(), sound.substr(0, at));
    EXPECT_EQ(unsealed(keys(kOne)), damaged_) << at;
  }
}

TEST_F(SealedStream, GivesWhatIsThereOfOneThatBrokeOff) {
  const auto plain = fakes::noise(200'000, 5);
  seal(plain, keys(kOne), false);
  EXPECT_EQ(unsealed(keys(kOne)), damaged_);
  EXPECT_EQ(unsealed(keys(kOne), true), plain);
  const auto sound = fakes::read_file(path());
  fakes::write_file(path(), sound.substr(0, 150'000));
  EXPECT_EQ(unsealed(keys(kOne), true), plain.substr(0, 131'072));
  EXPECT_EQ(sealed_size(open().get()), 131'072u);
}

TEST(SealKeys, AreReadFromLines) {
  EXPECT_EQ(keys("# ours\n\n" + kOne + kTwo).current()->id(), keys(kOne).current()->id());
  EXPECT_NE(keys(kOne + kTwo).find(keys(kTwo).current()->id()), nullptr);
  EXPECT_EQ(keys("off\n" + kOne).current(), nullptr);
  EXPECT_NE(keys("off\n" + kOne).find(keys(kOne).current()->id()), nullptr);
  EXPECT_EQ(SealKeys::parse(kOne + "12345\n").error().sentence,
            "line 2 is not a key; a key is 64 hexadecimal digits");
  EXPECT_EQ(SealKeys::parse("# nothing\n").error().sentence,
            "it has no key; 'vantrod --new-key FILE' writes one");
  EXPECT_TRUE(SealKeys::parse(new_seal_key()));
}

}  // namespace
}  // namespace vantro::crypto
