#include "wire/tftp/netascii.h"

#include <gtest/gtest.h>
#include <random>
#include <string>

namespace vantro::wire::tftp {
namespace {

using namespace std::string_literals;

std::string encoded(const std::string& text) {
  base::ByteBuffer wire;
  append_netascii(wire, base::as_bytes(text));
  return {wire.begin(), wire.end()};
}

// In two pieces, cut there.
std::string decoded(const std::string& wire, std::size_t cut) {
  base::ByteBuffer text;
  NetasciiDecoder decoder;
  decoder.append(text, base::as_bytes(wire).first(cut));
  decoder.append(text, base::as_bytes(wire).subspan(cut));
  decoder.finish(text);
  return {text.begin(), text.end()};
}

TEST(Netascii, SpellsLineEndsAndCarriageReturnsAsPairs) {
  EXPECT_EQ(encoded("a\nb"), "a\r\nb");
  EXPECT_EQ(encoded("a\rb"), "a\r\0b"s);
  EXPECT_EQ(encoded("\r\n"), "\r\0\r\n"s);
}

TEST(Netascii, BringsEveryTextBackHoweverItIsCut) {
  std::mt19937 random(1);
  for (int i = 0; i < 300; ++i) {
    std::string text(random() % 12, ' ');
    for (auto& c : text) c = "\r\n\0ax"[random() % 5];
    const auto wire = encoded(text);
    for (std::size_t cut = 0; cut <= wire.size(); ++cut) {
      EXPECT_EQ(decoded(wire, cut), text) << i << " cut at " << cut;
    }
  }
}

TEST(Netascii, KeepsACarriageReturnWithoutItsPair) {
  EXPECT_EQ(decoded("a\rb", 2), "a\rb");
  EXPECT_EQ(decoded("a\r", 1), "a\r");
  EXPECT_EQ(decoded("\r\r\n", 1), "\r\n");
}

}  // namespace
}  // namespace vantro::wire::tftp
