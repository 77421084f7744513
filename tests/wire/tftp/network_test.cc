// Both machines over a network that misbehaves. Small misbehaviour is tried in every
// combination, large from numbered seeds: VANTRO_SEED=N runs one of them.
#include <cstdlib>
#include <gtest/gtest.h>
#include <random>

#include "tests/fakes/scratch_folder.h"
#include "tests/fakes/sim_transfer.h"
#include "wire/tftp/read_session.h"
#include "wire/tftp/write_session.h"

namespace vantro::wire::tftp {
namespace {

using namespace std::chrono_literals;
using fakes::Fate;
using fakes::Network;
using fakes::SimResult;

struct Case {
  bool write = false;
  std::size_t size = 0;
  std::size_t block_size = 512;
  bool options = false;
};

SimResult run(const Case& c, const Network& network,
              const std::function<base::Duration()>& disk_delay) {
  Request request{c.write, "x", "octet", {}};
  if (c.options) request.options = {{"blksize", std::to_string(c.block_size)}};
  const auto terms = negotiate(request, c.size);
  const auto file = fakes::noise(c.size);
  std::unique_ptr<Session> session;
  if (c.write) {
    session = std::make_unique<WriteSession>(terms, Patience{}, 7);
  } else {
    session = std::make_unique<ReadSession>(terms, c.size, Patience{}, 7);
  }
  return fakes::SimTransfer(std::move(session), file, c.write, c.block_size, c.options,
                            network, disk_delay)
      .run();
}

// What must hold in every run, whatever the network did.
void expect_honest(const Case& c, const SimResult& result) {
  const auto file = fakes::noise(c.size);
  EXPECT_TRUE(result.server_ended);
  EXPECT_LT(result.outlived_client, 1min) << "it lives on after the silence";
  if (c.write) {
    // Promise 1: the client believes in completeness only if it is filed.
    if (result.client_complete) {
      EXPECT_TRUE(result.committed);
    }
    if (result.committed) {
      EXPECT_TRUE(fakes::same_bytes(result.server_bytes, file));
    }
    EXPECT_EQ(result.server_complete, result.committed);
  } else {
    if (result.client_complete) {
      EXPECT_TRUE(fakes::same_bytes(result.client_bytes, file));
    }
    if (result.server_complete) {
      EXPECT_TRUE(result.client_complete);
    }
  }
}

constexpr std::size_t kPatternBits = 10;

TEST(TftpOverANetwork, SurvivesEveryLossOfTheFirstTenDatagramsWithAndWithoutDoubling) {
  for (const bool write : {false, true}) {
    for (const bool options : {false, true}) {
      for (unsigned lost = 0; lost < (1u << kPatternBits); ++lost) {
        for (const bool doubled : {false, true}) {
          const Case c{write, 1200, 512, options};
          const auto network = [&](std::size_t number) -> Fate {
            if (number < kPatternBits && (lost >> number & 1) != 0) return {};
            if (doubled) return {1ms, 2ms};
            return {1ms};
          };
          const auto result = run(c, network, [] { return base::Duration(1ms); });
          SCOPED_TRACE(testing::Message() << "write " << write << " options " << options
                                          << " lost " << lost << " doubled " << doubled);
          expect_honest(c, result);
          // A client that hears nothing at all for long gives up; short of that, it comes
          // through.
          if (lost < (1u << 6)) {
            EXPECT_TRUE(result.client_complete);
          }
          if (HasFailure()) return;
        }
      }
    }
  }
}

TEST(TftpOverANetwork, SendsNoMoreThanNeededWhenEverythingIsDoubled) {
  const Case c{false, 100 * 512, 512, false};
  const auto result = run(
      c,
      [](std::size_t) {
        return Fate{1ms, 1500us};
      },
      [] { return base::Duration(0); });
  EXPECT_TRUE(result.server_complete);
  // 101 blocks: doubled acknowledgements must not double the data.
  EXPECT_EQ(result.server_sent, 101u);
}

TEST(TftpOverANetwork, StaysHonestUnderRandomLossDoublingAndReordering) {
  const char* one = std::getenv("VANTRO_SEED");
  const unsigned first = one == nullptr ? 1 : static_cast<unsigned>(std::atoi(one));
  const unsigned last = one == nullptr ? 3000 : first;
  std::size_t complete = 0;
  for (unsigned seed = first; seed <= last; ++seed) {
    std::mt19937 random(seed);
    const auto below = [&](unsigned n) { return random() % n; };
    constexpr std::size_t kSizes[] = {0, 1, 511, 512, 513, 5000, 40'000};
    constexpr std::size_t kBlocks[] = {8, 512, 1428};
    Case c{below(2) == 0, kSizes[below(7)], 512, below(2) == 0};
    if (c.options) c.block_size = kBlocks[below(3)];
    if (c.block_size == 8) c.size = std::min<std::size_t>(c.size, 5000);
    const unsigned loss = below(25);
    const unsigned doubling = below(25);
    const auto network = [&](std::size_t) -> Fate {
      if (below(100) < loss) return {};
      Fate fate;
      // Up to a third of a second: later datagrams overtake.
      do {
        fate.push_back(std::chrono::milliseconds(below(10) == 0 ? below(300) : below(5)));
      } while (below(100) < doubling && fate.size() < 3);
      return fate;
    };
    const auto result =
        run(c, network, [&] { return std::chrono::milliseconds(below(20)); });
    SCOPED_TRACE(testing::Message() << "VANTRO_SEED=" << seed);
    expect_honest(c, result);
    const auto blocks = c.size / c.block_size + 2;
    EXPECT_LE(result.server_sent, 4 * blocks + 40) << "a storm of datagrams";
    if (result.client_complete) ++complete;
    if (HasFailure()) return;
  }
  EXPECT_GE(complete * 100, 95 * (last - first + 1))
      << "too many transfers were given up";
}

}  // namespace
}  // namespace vantro::wire::tftp
