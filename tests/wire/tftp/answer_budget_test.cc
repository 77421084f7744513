#include "wire/tftp/answer_budget.h"

#include <gtest/gtest.h>

namespace vantro::wire::tftp {
namespace {

using namespace std::chrono_literals;
using For = AnswerBudget::For;
using Verdict = AnswerBudget::Verdict;

base::Address host(std::uint32_t number) {
  return base::Address::v4(0xc0000200 + number);
}

class AnswerBudgetTest : public testing::Test {
 protected:
  int answers(For what, int asked, const base::Address& address = host(1)) {
    int count = 0;
    for (int i = 0; i < asked; ++i) {
      if (budget_.ask(address, what, now_) == Verdict::kAnswer) ++count;
    }
    return count;
  }
  AnswerBudget budget_;
  base::Instant now_{1h};
};

TEST_F(AnswerBudgetTest, AnswersAHandfulOfRequestsThatAreNeverAcknowledged) {
  EXPECT_EQ(answers(For::kTransfer, 1000), 8);
  EXPECT_EQ(answers(For::kTransfer, 1000, host(2)), 8) << "others have their own";
  now_ += 30s;
  EXPECT_EQ(answers(For::kTransfer, 1000), 2);
}

TEST_F(AnswerBudgetTest, SaysOnceThatNoMoreWillCome) {
  answers(For::kRefusal, 64);
  EXPECT_EQ(budget_.ask(host(1), For::kRefusal, now_), Verdict::kLastAnswer);
  EXPECT_EQ(budget_.ask(host(1), For::kRefusal, now_), Verdict::kSilence);
  now_ += 1s;
  EXPECT_EQ(budget_.ask(host(1), For::kRefusal, now_), Verdict::kAnswer);
}

TEST_F(AnswerBudgetTest, TrustsAnAddressThatAcknowledges) {
  answers(For::kTransfer, 8);
  budget_.proven(host(1), now_);
  EXPECT_EQ(answers(For::kTransfer, 1000), 1000);
  now_ += 11min;
  EXPECT_EQ(answers(For::kTransfer, 1000), 8);
}

TEST_F(AnswerBudgetTest, RefusalsStayLimitedForAProvenAddress) {
  budget_.proven(host(1), now_);
  EXPECT_EQ(answers(For::kRefusal, 1000), 64);
  EXPECT_EQ(answers(For::kStray, 1000), 8);
}

TEST_F(AnswerBudgetTest, TakesBackWhatWasNotSent) {
  for (int i = 0; i < 100; ++i) {
    EXPECT_EQ(answers(For::kTransfer, 1), 1);
    budget_.give_back(host(1), For::kTransfer, now_);
  }
}

TEST_F(AnswerBudgetTest, IsBoundedUnderAFloodFromForgedAddresses) {
  answers(For::kTransfer, 100, host(0));
  for (std::uint32_t i = 1; i < 50'000; ++i) {
    now_ += 1us;
    budget_.ask(base::Address::v4(i), For::kTransfer, now_);
    budget_.ask(host(0), For::kTransfer, now_);
  }
  EXPECT_LE(budget_.addresses(), 8192u);
  EXPECT_EQ(answers(For::kTransfer, 10, host(0)), 0)
      << "who is heard now is not forgotten";
}

// One host has as many addresses of its IPv6 network as it likes.
TEST_F(AnswerBudgetTest, BoundsAnIpv6NetworkAsWellAsItsAddresses) {
  int answered = 0;
  for (int i = 1; i <= 200; ++i) {
    const auto from = *base::Address::parse("fe80::" + std::to_string(i));
    if (budget_.ask(from, For::kTransfer, now_) == Verdict::kAnswer) ++answered;
  }
  EXPECT_EQ(answered, 64);
  EXPECT_EQ(budget_.ask(*base::Address::parse("fe80:0:0:1::1"), For::kTransfer, now_),
            Verdict::kAnswer);
}

}  // namespace
}  // namespace vantro::wire::tftp
