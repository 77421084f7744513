#include "wire/dhcp/message.h"

#include <gtest/gtest.h>

namespace vantro::wire::dhcp {
namespace {

base::ByteBuffer bytes_of(std::string_view text) { return {text.begin(), text.end()}; }

Message discover() {
  Message message;
  message.transaction = 0x01020304;
  message.set_link_address(*base::LinkAddress::parse("02:00:5e:10:00:01"));
  message.add_number8(option::kMessageType, 1);
  return message;
}

TEST(LinkAddress, IsReadAsLabelsAndConsolesHaveIt) {
  for (const auto* text :
       {"02:00:5e:10:00:0a", "02-00-5E-10-00-0A", "0200.5e10.000a", "02005E10000a"}) {
    const auto address = base::LinkAddress::parse(text);
    ASSERT_TRUE(address) << text;
    EXPECT_EQ(address->text(), "02:00:5e:10:00:0a");
  }
  for (const auto* text :
       {"", "02", "02:00:5e:10:00", "02:00:5e:10:00:0a:0b", "02:00:5e:10:00:0g",
        "02:00-5e:10:00:0a", "020:05e:10:00:0a", "0200.5e10.000", ":02:00:5e:10:00:0a",
        "02005e1000", "02:00:5e:10:00:0a:", "0200:5e10:000a"}) {
    EXPECT_FALSE(base::LinkAddress::parse(text)) << text;
  }
}

TEST(DhcpMessage, ComesBackAsItWas) {
  auto message = discover();
  message.reply = true;
  message.seconds = 7;
  message.hops = 1;
  message.broadcast = true;
  message.client = base::Address::v4(0xc0000202);
  message.yours = base::Address::v4(0xc0000203);
  message.next_server = base::Address::v4(0xc0000201);
  message.relay = base::Address::v4(0xc0000204);
  message.server_name = "192.0.2.1";
  message.file = "fixed/boot.img";
  message.add_addresses(option::kRouters, {base::Address::v4(0xc0000201)});
  message.add_text(option::kHostName, "tidegate-rtr");
  const auto encoded = encode(message);
  EXPECT_TRUE(encoded.left_out.empty());
  EXPECT_GE(encoded.datagram.size(), kShortestMessage);
  const auto back = parse(encoded.datagram);
  ASSERT_TRUE(back);
  EXPECT_EQ(*back, message);
  EXPECT_EQ(describe(*back),
            "DISCOVER 02:00:5e:10:00:01 xid 16909060 client 192.0.2.2 yours 192.0.2.3 "
            "next 192.0.2.1 relay 192.0.2.4 file 'fixed/boot.img' [3 12]");
}

TEST(DhcpMessage, LongOptionsGoInPiecesAndAreOneAgain) {
  auto message = discover();
  message.add(option::kVendorInformation, base::ByteBuffer(600, 0x5a));
  const auto encoded = encode(message, kLargestMessage);
  EXPECT_TRUE(encoded.left_out.empty());
  const auto back = parse(encoded.datagram);
  ASSERT_TRUE(back);
  EXPECT_EQ(*back, message);
}

TEST(DhcpMessage, UsesTheFieldsForOptionsThatDoNotFitElsewhere) {
  auto message = discover();
  for (std::uint8_t code = 224; code < 234; ++code) {
    message.add(code, base::ByteBuffer(30, code));
  }
  // 300 bytes have room for one of them behind the fixed part, the fields for four more.
  const auto encoded = encode(message, kShortestMessage);
  EXPECT_EQ(encoded.datagram.size(), kShortestMessage);
  const auto back = parse(encoded.datagram);
  ASSERT_TRUE(back);
  EXPECT_EQ(back->options.size() + encoded.left_out.size(), message.options.size());
  EXPECT_EQ(back->options.size(), 6u) << describe(*back);
  EXPECT_EQ(back->file, "");
  EXPECT_EQ(back->server_name, "");
  for (const auto& one : back->options) {
    EXPECT_EQ(one.bytes, *message.find(one.code));
  }
  // Where the file's name stands in its field, that is not overwritten.
  message.file = "boot.img";
  const auto with_file = parse(encode(message, kShortestMessage).datagram);
  ASSERT_TRUE(with_file);
  EXPECT_EQ(with_file->file, "boot.img");
  EXPECT_EQ(with_file->options.size(), 3u);
}

TEST(DhcpMessage, WithoutTheCookieItIsBootpOfTheFirstKind) {
  Message message;
  message.has_options = false;
  message.set_link_address(*base::LinkAddress::parse("02:00:5e:10:00:01"));
  message.file = "boot.img";
  const auto back = parse(encode(message).datagram);
  ASSERT_TRUE(back);
  EXPECT_FALSE(back->has_options);
  EXPECT_FALSE(back->type());
  EXPECT_EQ(back->file, "boot.img");
}

TEST(DhcpMessage, EveryCutIsRefusedOrRead) {
  auto message = discover();
  message.add(option::kWantedOptions, {1, 3, 6, 12, 17});
  const auto whole = encode(message).datagram;
  for (std::size_t size = 0; size < whole.size(); ++size) {
    const auto cut = parse(base::ByteView(whole).first(size));
    if (size < 236) {
      EXPECT_FALSE(cut) << size;
    }
  }
  auto beyond = whole;
  beyond.resize(243);  // the option's value is cut
  EXPECT_EQ(parse(base::ByteView(beyond).first(242)).error().sentence,
            "option 53 goes beyond the message");
  auto other = whole;
  other[0] = 3;
  EXPECT_EQ(parse(other).error().sentence, "it is neither a request nor a reply");
  other[0] = 1;
  other[2] = 17;
  EXPECT_EQ(parse(other).error().sentence,
            "the hardware address is longer than 16 bytes");
}

TEST(DhcpMessage, UserClassesAreCountedOrOnePlainText) {
  auto message = discover();
  message.add(option::kUserClass, bytes_of("\x04"
                                           "boot"
                                           "\x03"
                                           "two"));
  EXPECT_EQ(user_classes(message), (std::vector<std::string>{"boot", "two"}));
  auto plain = discover();
  plain.add(option::kUserClass, bytes_of("second-stage"));
  EXPECT_EQ(user_classes(plain), std::vector<std::string>{"second-stage"});
  EXPECT_TRUE(user_classes(discover()).empty());
}

TEST(DhcpMessage, OptionsOfAnotherLengthAreNotRead) {
  auto message = discover();
  message.add(option::kServer, {1, 2, 3});
  message.add(option::kArchitecture, {0, 11, 0, 16});
  EXPECT_FALSE(message.address(option::kServer));
  EXPECT_EQ(message.number16(option::kArchitecture), 11);
  EXPECT_EQ(architecture_name(11), "ARM 64-bit UEFI");
  EXPECT_EQ(architecture_name(999), "999");
}

}  // namespace
}  // namespace vantro::wire::dhcp
