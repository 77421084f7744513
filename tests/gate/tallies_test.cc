#include "gate/tallies.h"

#include "gate/transfers.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::gate {
namespace {

using TalliesTest = fakes::RepositoryFixture;

TEST_F(TalliesTest, CountWhatEndsAndWhatIsRefused) {
  ASSERT_TRUE(take_in("x.img", std::string(100'000, 'x')));
  fetch("x.img");
  fetch("x.img");
  fetch("y.img");
  auto broken = open_read(device("192.0.2.8"), "x.img");
  ASSERT_TRUE(broken);
  broken->transfer().advance({40'000, 3, 0});
  broken->transfer().end(State::kAbandoned, "gone");
  const auto all = gate_->transfers().tallies().all();
  EXPECT_EQ(all.ended.at({"tftp", "fetch", "complete"}).transfers, 2u);
  const auto& abandoned = all.ended.at({"tftp", "fetch", "abandoned"});
  EXPECT_EQ(abandoned.transfers, 1u);
  EXPECT_EQ(abandoned.bytes, 40'000u);
  EXPECT_EQ(abandoned.resent, 3u);
  EXPECT_EQ(all.refusals.at({"tftp", "not-found"}), 1u);
}

TEST(Tallies, SortCompleteTransfersByTheirRates) {
  Tallies tallies;
  TransferView view;
  view.protocol = "tftp";
  view.state = State::kComplete;
  view.bytes = 1 << 20;
  view.rate = 2e6;
  tallies.ended(view);
  view.rate = 1e12;  // behind the last bound
  tallies.ended(view);
  view.bytes = 10;  // tells nothing of a rate
  tallies.ended(view);
  const auto rates = tallies.all().rates.at({"tftp", "fetch"});
  EXPECT_EQ(rates.counts[5], 1u);  // over 1 MiB/s, up to 4
  EXPECT_EQ(rates.counts.back(), 1u);
  EXPECT_DOUBLE_EQ(rates.sum, 2e6 + 1e12);
}

TEST_F(TalliesTest, OneRequestIsFoundInTheLedgerByItsName) {
  ASSERT_TRUE(take_in("x.img", "image"));
  auto asker = device("192.0.2.7");
  auto grant = open_read(asker, "x.img");
  ASSERT_TRUE(grant);
  grant->transfer().end(State::kComplete, "");
  const auto other = device("192.0.2.7");
  EXPECT_NE(other.request, asker.request);
  EXPECT_FALSE(open_read(other, "y.img"));
  ledger::Filter filter;
  filter.request = asker.request;
  auto rows = repository_->ledger.newest(10, {}, filter);
  ASSERT_EQ(rows->size(), 1u);
  EXPECT_EQ(rows->front().name, "x.img");
  filter.request = other.request;
  rows = repository_->ledger.newest(10, {}, filter);
  ASSERT_EQ(rows->size(), 1u);
  EXPECT_EQ(rows->front().outcome, "refused");
}

}  // namespace
}  // namespace vantro::gate
