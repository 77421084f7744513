#include "wire/dhcp/frame.h"

#include <gtest/gtest.h>

namespace vantro::wire::dhcp {
namespace {

const auto kDevice = *base::LinkAddress::parse("02:00:5e:10:00:01");
const auto kServer = *base::LinkAddress::parse("02:00:5e:10:00:fe");

Datagram datagram(base::ByteView bytes) {
  return {kServer,
          kDevice,
          {base::Address::v4(0xc0000201), kServerPort},
          {base::Address::v4(0xc0000214), kClientPort},
          bytes};
}

TEST(Frame, ADatagramComesBackAsItWas) {
  for (const std::string text : {"", "x", "four", "a longer one that is odd"}) {
    const auto frame = encode_datagram(datagram(base::as_bytes(text)));
    const auto back = parse_datagram(frame);
    ASSERT_TRUE(back) << text;
    EXPECT_EQ(back->from_link, kServer);
    EXPECT_EQ(back->to_link, kDevice);
    EXPECT_EQ(back->from.text(), "192.0.2.1:67");
    EXPECT_EQ(back->to.text(), "192.0.2.20:68");
    EXPECT_EQ(base::as_text(back->bytes), text);
  }
}

TEST(Frame, IsFilledUpBehindTheDatagram) {
  auto frame = encode_datagram(datagram(base::as_bytes("x")));
  frame.resize(60);
  const auto back = parse_datagram(frame);
  ASSERT_TRUE(back);
  EXPECT_EQ(base::as_text(back->bytes), "x");
}

TEST(Frame, EveryCutAndEveryWrongByteOfItsHeadsIsRefused) {
  const auto frame = encode_datagram(datagram(base::as_bytes("some bytes")));
  for (std::size_t size = 0; size < frame.size(); ++size) {
    EXPECT_FALSE(parse_datagram(base::ByteView(frame).first(size))) << size;
  }
  // Behind the link addresses each byte is checked by a value or a sum.
  for (std::size_t at = 12; at < frame.size(); ++at) {
    auto wrong = frame;
    wrong[at] ^= 0x11;
    EXPECT_FALSE(parse_datagram(wrong)) << at;
  }
}

TEST(Frame, TheKernelMayHaveLeftTheChecksumOut) {
  auto frame = encode_datagram(datagram(base::as_bytes("some bytes")));
  frame[40] ^= 0xff;
  EXPECT_FALSE(parse_datagram(frame));
  EXPECT_TRUE(parse_datagram(frame, false));
}

TEST(Frame, ArpComesBackAsItWas) {
  const auto probe =
      parse_arp(encode_arp(arp_probe(kServer, base::Address::v4(0xc0000214))));
  ASSERT_TRUE(probe);
  EXPECT_FALSE(probe->reply);
  EXPECT_EQ(probe->from_link, kServer);
  EXPECT_TRUE(probe->from.is_unspecified());
  EXPECT_EQ(probe->to.text(), "192.0.2.20");
  const Arp answer{true, kDevice, base::Address::v4(0xc0000214), kServer,
                   base::Address::v4(0xc0000201)};
  const auto frame = encode_arp(answer);
  const auto back = parse_arp(frame);
  ASSERT_TRUE(back);
  EXPECT_TRUE(back->reply);
  EXPECT_EQ(back->from_link, kDevice);
  for (std::size_t size = 0; size < frame.size(); ++size) {
    EXPECT_FALSE(parse_arp(base::ByteView(frame).first(size)));
  }
}

}  // namespace
}  // namespace vantro::wire::dhcp
