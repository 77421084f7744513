#include "ledger/contacts.h"

#include <gtest/gtest.h>

#include "tests/fakes/sim_clock.h"

namespace vantro::ledger {
namespace {

using namespace std::chrono_literals;

base::Address host(std::uint32_t number) {
  return base::Address::v4(0xc0000200 + number);
}

class ContactsTest : public testing::Test {
 protected:
  fakes::SimClock clock_;
  Contacts contacts_{clock_};
};

TEST_F(ContactsTest, CountWhatWasHeardAndWhere) {
  contacts_.request(host(1), "192.0.2.10:69 on eth0");
  clock_.advance(2s);
  contacts_.stray(host(1), "192.0.2.10:69 on eth1", "99 is not a TFTP opcode");
  contacts_.unanswered(host(1));
  const auto contact = contacts_.find(host(1));
  ASSERT_TRUE(contact);
  EXPECT_EQ(contact->requests, 1u);
  EXPECT_EQ(contact->strays, 1u);
  EXPECT_EQ(contact->unanswered, 1u);
  EXPECT_EQ(contact->heard_on, "192.0.2.10:69 on eth1");
  EXPECT_EQ(contact->stray_why, "99 is not a TFTP opcode");
  EXPECT_EQ(contact->last_at - contact->first_at, 2000);
  EXPECT_FALSE(contacts_.find(host(2)));
}

TEST_F(ContactsTest, ListTheLastHeardFirst) {
  for (const std::uint32_t number : {1, 2, 3, 1}) {
    clock_.advance(1s);
    contacts_.request(host(number), "");
  }
  const auto list = contacts_.newest(2);
  ASSERT_EQ(list.size(), 2u);
  EXPECT_EQ(list[0].address, host(1));
  EXPECT_EQ(list[1].address, host(3));
}

TEST_F(ContactsTest, AreBoundedUnderAFloodFromForgedAddresses) {
  for (std::uint32_t i = 0; i < 30'000; ++i) {
    clock_.advance(1ms);
    contacts_.stray(base::Address::v4(i), "", "x");
    contacts_.request(host(1), "");
  }
  EXPECT_LE(contacts_.newest(100'000).size(), Contacts::kMostAddresses);
  EXPECT_EQ(contacts_.find(host(1))->requests, 30'000u);
}

TEST_F(ContactsTest, LimitTheRowsAboutRefusals) {
  const auto rows = [&](const base::Address& address) {
    int count = 0;
    for (int i = 0; i < 5000; ++i) count += contacts_.may_record_refusal(address);
    return count;
  };
  EXPECT_EQ(rows(host(1)), 300);
  EXPECT_EQ(rows(host(2)), 300);
  clock_.advance(10s);
  EXPECT_EQ(rows(host(1)), 10);
  int in_all = 0;
  for (std::uint32_t i = 3; i < 5000; ++i)
    in_all += contacts_.may_record_refusal(host(i));
  EXPECT_LE(in_all, 2800);
}

}  // namespace
}  // namespace vantro::ledger
