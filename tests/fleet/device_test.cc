#include <gtest/gtest.h>

#include "fleet/devices.h"

namespace vantro::fleet {
namespace {

std::string set_and_show(const std::string& field, const std::string& text) {
  Device device;
  const auto done = set_field(device, field, text);
  return done ? field_text(device, field) : base::in_full(done.error());
}

TEST(Device, ReadsItsFields) {
  EXPECT_EQ(set_and_show("addresses", "192.0.2.7, 2001:db8::7 192.0.2.0/28,192.0.2.7"),
            "192.0.2.7 2001:db8::7 192.0.2.0/28");
  EXPECT_EQ(set_and_show("link_address", "0200.5E10.0001"), "02:00:5e:10:00:01");
  EXPECT_EQ(set_and_show("link_address", "02-00-5e-10-00-01"), "02:00:5e:10:00:01");
  EXPECT_EQ(set_and_show("site", "  Harbour east "), "Harbour east");
  EXPECT_EQ(set_and_show("backup_every", "24h"), "daily");
  EXPECT_EQ(set_and_show("backup_every", "36h"), "36h");
  EXPECT_EQ(set_and_show("backup_every", "never"), "never");
  EXPECT_EQ(set_and_show("backup_every", ""), "");
  EXPECT_EQ(set_and_show("quota", "500 MiB"), "500.0 MiB");
}

TEST(Device, SaysWhatIsWrongWithAField) {
  EXPECT_EQ(set_and_show("addresses", "router"),
            "'router' is not an address or network such as 192.0.2.7, 192.0.2.0/28 or "
            "2001:db8::7");
  EXPECT_EQ(set_and_show("link_address", "02:00"),
            "'02:00' is not a link address such as 02:00:5e:10:00:01");
  EXPECT_EQ(set_and_show("backup_every", "often"),
            "'often' is not an interval; example: daily, weekly, monthly, "
            "12h, 3d, never");
  EXPECT_NE(set_and_show("sites", "x").find("nearest: 'site'"), std::string::npos);
  EXPECT_EQ(set_and_show("maker", "a\nb"), "maker must be one line of at most 200 bytes");
}

TEST(Device, HasANameThatIsNoAddress) {
  EXPECT_TRUE(device_name("tidegate-rtr.1"));
  EXPECT_FALSE(device_name(""));
  EXPECT_FALSE(device_name("-x"));
  EXPECT_FALSE(device_name("a b"));
  EXPECT_FALSE(device_name("a/b"));
  EXPECT_FALSE(device_name(std::string(65, 'a')));
  EXPECT_EQ(device_name("192.0.2.7").error().sentence,
            "'192.0.2.7' is an address; a device needs a name");
}

TEST(DeviceIndex, FindsTheNarrowestThatFits) {
  std::vector<Device> devices(3);
  devices[0].id = 1;
  devices[0].name = "wide";
  devices[0].networks = {*base::Network::parse("192.0.2.0/24")};
  devices[1].id = 2;
  devices[1].name = "Narrow";
  devices[1].networks = {*base::Network::parse("192.0.2.0/28"),
                         *base::Network::parse("2001:db8::/64")};
  devices[2].id = 3;
  devices[2].name = "one";
  devices[2].networks = {*base::Network::parse("192.0.2.7")};
  const DeviceIndex index(devices);
  const auto found = [&](const char* address) {
    const auto* device = index.find(*base::Address::parse(address));
    return device == nullptr ? "" : device->name;
  };
  EXPECT_EQ(found("192.0.2.7"), "one");
  EXPECT_EQ(found("192.0.2.8"), "Narrow");
  EXPECT_EQ(found("192.0.2.99"), "wide");
  EXPECT_EQ(found("2001:db8::9"), "Narrow");
  EXPECT_EQ(found("198.51.100.1"), "");
  EXPECT_EQ(index.find("narrow")->id, 2);
  EXPECT_EQ(index.find("nobody"), nullptr);
}

}  // namespace
}  // namespace vantro::fleet
