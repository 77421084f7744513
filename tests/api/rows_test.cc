#include "api/rows.h"

#include <algorithm>
#include <gtest/gtest.h>

#include "api/catalogue.h"
#include "api/json.h"
#include "api/shapes.h"

namespace vantro::api {
namespace {

TEST(Rows, TakeAListApart) {
  ContactList list;
  list.contacts.resize(2);
  list.contacts[0].address = "192.0.2.7";
  list.contacts[0].requests = 3;
  list.contacts[1].address = "192.0.2.8";
  list.contacts[1].caution = true;
  const auto rows = rows_of(json_of(list), shape_of<ContactList>());
  ASSERT_EQ(rows.rows.size(), 2u);
  EXPECT_EQ(rows.names.front(), "address");
  const auto value = [&](std::size_t row, const std::string& name) {
    for (std::size_t i = 0; i < rows.names.size(); ++i) {
      if (rows.names[i] == name) return rows.rows[row].values[i];
    }
    return std::string("no such name");
  };
  EXPECT_EQ(value(0, "address"), "192.0.2.7");
  EXPECT_EQ(value(0, "requests"), "3");
  EXPECT_EQ(value(1, "caution"), "true");
  EXPECT_EQ(rows.rows[0].json.find('\n'), std::string::npos);
  EXPECT_NE(rows.rows[1].json.find("\"address\":\"192.0.2.8\""), std::string::npos);
}

TEST(Rows, PutTheTextsOfAListIntoOneValue) {
  OfferList list;
  list.offers.resize(1);
  list.offers[0].name = "boot.bin";
  list.offers[0].over = {"tftp", "http"};
  const auto rows = rows_of(json_of(list), shape_of<OfferList>());
  const auto at = std::find(rows.names.begin(), rows.names.end(), "over");
  ASSERT_NE(at, rows.names.end());
  EXPECT_EQ(rows.rows[0].values[static_cast<std::size_t>(at - rows.names.begin())],
            "tftp http");
}

TEST(Rows, HaveTheFieldsOfAnObjectInThem) {
  ImageList list;
  list.images.resize(1);
  list.images[0].platform = "causeway4";
  list.images[0].image.name = "x.img";
  list.images[0].image.size = 12;
  list.images[0].image.digests.sha256 = "abcd";
  const auto rows = rows_of(json_of(list), shape_of<ImageList>());
  const auto value = [&](const std::string& name) {
    const auto at = std::find(rows.names.begin(), rows.names.end(), name);
    return at == rows.names.end()
               ? "no such name"
               : rows.rows[0].values[static_cast<std::size_t>(at - rows.names.begin())];
  };
  EXPECT_EQ(value("platform"), "causeway4");
  EXPECT_EQ(value("name"), "x.img");
  EXPECT_EQ(value("size"), "12");
  EXPECT_EQ(value("sha256"), "abcd");
}

TEST(Rows, AreThereForLists) {
  EXPECT_NE(list_in(shape_of<ContactList>()), nullptr);
  EXPECT_EQ(list_in(shape_of<Contact>()), nullptr);
  EXPECT_TRUE(rows_of("no JSON", shape_of<ContactList>()).rows.empty());
  EXPECT_TRUE(rows_of("{}", shape_of<ContactList>()).rows.empty());
}

}  // namespace
}  // namespace vantro::api
