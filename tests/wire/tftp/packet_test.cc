#include "wire/tftp/packet.h"

#include <gtest/gtest.h>

#include "wire/tftp/negotiation.h"

namespace vantro::wire::tftp {
namespace {

std::string told(base::ByteView bytes) {
  const auto packet = parse(bytes);
  return packet ? describe(*packet) : "refused: " + packet.error().sentence;
}

std::string told(std::string_view bytes) { return told(base::as_bytes(bytes)); }

using namespace std::string_view_literals;

TEST(TftpPacket, ReadsEachKind) {
  EXPECT_EQ(told("\0\1x.img\0OCTET\0"sv), "RRQ x.img octet");
  EXPECT_EQ(told("\0\2a/b\0octet\0TSize\0"
                 "42\0blksize\0"
                 "1428\0"sv),
            "WRQ a/b octet tsize=42 blksize=1428");
  EXPECT_EQ(told("\0\3\1\2abc"sv), "DATA 258 [3]");
  EXPECT_EQ(told("\0\3\0\1"sv), "DATA 1 [0]");
  EXPECT_EQ(told("\0\4\xff\xff"sv), "ACK 65535");
  EXPECT_EQ(told("\0\5\0\1no such file\0"sv), "ERROR 1 no such file");
  EXPECT_EQ(told("\0\5\0\1unended"sv), "ERROR 1 unended");
  EXPECT_EQ(told("\0\6tsize\0"
                 "9\0"sv),
            "OACK tsize=9");
}

TEST(TftpPacket, RefusesWhatIsNone) {
  EXPECT_EQ(told(""sv), "refused: there is no opcode");
  EXPECT_EQ(told("\0"sv), "refused: there is no opcode");
  EXPECT_EQ(told("\0\7x"sv), "refused: 7 is not a TFTP opcode");
  EXPECT_EQ(told("GET / HTTP/1.1\r\n"sv), "refused: 18245 is not a TFTP opcode");
  EXPECT_EQ(told("\0\1x.img"sv), "refused: the name in the request does not end");
  EXPECT_EQ(told("\0\1x.img\0octet"sv), "refused: the mode in the request does not end");
  EXPECT_EQ(told("\0\1x\0octet\0tsize\0"sv), "refused: an option does not end");
  EXPECT_EQ(told("\0\4\0"sv), "refused: the packet ends before its number");
  EXPECT_EQ(told("\0\1"sv), "refused: the name in the request does not end");
  std::string many("\0\1x\0octet\0", 10);
  for (int i = 0; i < 40; ++i) many += std::string("a\0b\0", 4);
  EXPECT_EQ(told(many), "refused: there are too many options");
  EXPECT_EQ(told(std::string("\0\1", 2) + std::string(3000, 'x')),
            "refused: the request is too large");
}

TEST(TftpPacket, ForgivesZerosBehindTheLastOption) {
  EXPECT_EQ(told("\0\1x\0octet\0tsize\0"
                 "0\0\0\0\0"sv),
            "RRQ x octet tsize=0");
}

TEST(TftpPacket, IsRefusedOrReadAtEveryTruncation) {
  const auto whole = encode(Request{true, "site/x.cfg", "octet", {{"tsize", "42"}}});
  for (std::size_t length = 0; length < whole.size(); ++length) {
    const auto packet = parse(base::ByteView(whole).first(length));
    // Without its option it is a sound request of RFC 1350.
    const bool without_option = length == 2 + 11 + 6;
    EXPECT_EQ(packet.has_value(), without_option) << length;
  }
}

TEST(TftpPacket, EncodesWhatItReads) {
  const Request request{false, "x.img", "octet", {{"blksize", "1428"}, {"tsize", "0"}}};
  EXPECT_EQ(std::get<Request>(*parse(encode(request))), request);
  EXPECT_EQ(told(encode(Ack{7})), "ACK 7");
  EXPECT_EQ(told(encode(OptionAck{{{"tsize", "9"}}})), "OACK tsize=9");
  EXPECT_EQ(encode(Error{0, std::string(2000, 'x')}).size(), 512u);
  EXPECT_EQ(told(refusal_packet({base::Kind::kNotFound, "'a' is not on offer", "b"})),
            "ERROR 1 'a' is not on offer; nearest: 'b'");
}

std::string terms_for(bool write, Options options, std::optional<std::uint64_t> size) {
  const auto terms = negotiate(Request{write, "x", "octet", std::move(options)}, size);
  return std::to_string(terms.block_size) + " " + describe(OptionAck{terms.answer});
}

TEST(TftpNegotiation, AnswersWhatItHoldsToAndLeavesOutTheRest) {
  EXPECT_EQ(terms_for(false, {}, 9), "512 OACK");
  EXPECT_EQ(terms_for(false, {{"blksize", "1428"}, {"tsize", "0"}, {"timeout", "6"}}, 9),
            "1428 OACK blksize=1428 tsize=9 timeout=6");
  EXPECT_EQ(terms_for(false, {{"tsize", "0"}}, 0), "512 OACK");
  EXPECT_EQ(terms_for(true, {{"tsize", "42"}}, std::nullopt), "512 OACK tsize=42");
  EXPECT_EQ(terms_for(false, {{"blksize", "7"}}, 9), "512 OACK");
  EXPECT_EQ(terms_for(false, {{"blksize", "8"}}, 9), "8 OACK blksize=8");
  EXPECT_EQ(terms_for(false, {{"blksize", "99999"}}, 9), "65464 OACK blksize=65464");
  EXPECT_EQ(terms_for(false, {{"timeout", "0"}, {"blksize", "big"}, {"color", "1"}}, 9),
            "512 OACK");
  EXPECT_EQ(terms_for(false, {{"timeout", "256"}}, 9), "512 OACK");
  EXPECT_EQ(terms_for(false, {{"blksize", "100"}, {"blksize", "200"}}, 9),
            "100 OACK blksize=100");
}

}  // namespace
}  // namespace vantro::wire::tftp
