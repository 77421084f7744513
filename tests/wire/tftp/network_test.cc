// The machines over a network that misbehaves, against sound and odd clients. Small
// misbehaviour is tried in every combination, large from numbered seeds.
//
//   VANTRO_SEED=N           one of them, with what it was and came to
//   VANTRO_SEEDS=FROM-TO    so many; scripts/soak runs millions
#include <cstdio>
#include <cstdlib>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <random>

#include "tests/fakes/plain_sender.h"
#include "tests/fakes/scratch_folder.h"
#include "tests/fakes/sim_tftp.h"

namespace vantro::wire::tftp {
namespace {

using namespace std::chrono_literals;
using fakes::Fate;
using fakes::Habits;
using fakes::SimResult;
using fakes::SimTftp;

base::Duration one_millisecond() { return 1ms; }

constexpr std::size_t kPatternBits = 10;

TEST(TftpOverANetwork, SurvivesEveryLossOfTheFirstTenDatagramsWithAndWithoutDoubling) {
  const auto file = fakes::noise(1200);
  for (const bool write : {false, true}) {
    for (const auto& options : {Options{}, Options{{"blksize", "512"}},
                                Options{{"blksize", "256"}, {"windowsize", "3"}}}) {
      // The request itself is never lost: a client repeats it, with another port.
      for (unsigned lost = 0; lost < (1u << kPatternBits); ++lost) {
        for (const bool doubled : {false, true}) {
          Habits habits;
          habits.write = write;
          habits.options = options;
          const auto network = [&](std::size_t number) -> Fate {
            if (number > 0 && number <= kPatternBits && (lost >> (number - 1) & 1) != 0) {
              return {};
            }
            if (doubled) return {1ms, 2ms};
            return {1ms};
          };
          const auto result = SimTftp(file, habits, network, one_millisecond).run();
          SCOPED_TRACE(testing::Message()
                       << "write " << write << " options " << options.size() << " lost "
                       << lost << " doubled " << doubled);
          EXPECT_TRUE(result.server_ended);
          if (write && result.client_complete) {
            EXPECT_TRUE(result.server_complete);
          }
          if (!write && result.server_complete) {
            EXPECT_TRUE(result.client_complete);
          }
          if (result.client_complete) {
            EXPECT_TRUE(fakes::same_bytes(
                write ? result.server_bytes : result.client_bytes, file));
          }
          // A client that hears nothing at all for long gives up; short of that, it comes
          // through.
          if (lost < (1u << 4)) {
            EXPECT_TRUE(result.client_complete);
          }
          if (HasFailure()) return;
        }
      }
    }
  }
}

TEST(TftpOverANetwork, SendsNoMoreThanNeededWhenEverythingIsDoubled) {
  const auto file = fakes::noise(100 * 512);
  const auto doubles = [](std::size_t) { return Fate{1ms, 1500us}; };
  const auto result = SimTftp(file, {}, doubles, one_millisecond).run();
  EXPECT_TRUE(result.server_complete);
  // 101 blocks: doubled acknowledgements must not double the data.
  EXPECT_EQ(result.server_blocks, 101u);
}

TEST(TftpOverANetwork, ResendsFromTheLossOnceForEachWindow) {
  const auto file = fakes::noise(64 * 512);
  Habits habits;
  habits.options = {{"windowsize", "16"}};
  // Request, OACK, ACK 0, then blocks 1 to 16: the third is lost.
  const auto network = [](std::size_t number) {
    return number == 5 ? Fate{} : Fate{1ms};
  };
  const auto result = SimTftp(file, habits, network, one_millisecond).run();
  EXPECT_TRUE(result.client_complete);
  EXPECT_EQ(result.server_blocks, 65u + 14u);
}

// A lossy network, and who sends: the project's machine or the yardstick.
struct Cost {
  base::Duration took{};
  std::size_t datagrams = 0;
};
enum class Who { kOurs, kPlain, kLockStep };

Cost cost_of(Who who, unsigned loss_per_mille, unsigned window, base::Duration way) {
  constexpr unsigned kSeeds = 16;
  static const auto file = fakes::noise(1000 * 512);
  Cost sum;
  for (unsigned seed = 1; seed <= kSeeds; ++seed) {
    std::mt19937 random(seed * 977 + loss_per_mille);
    const auto network = [&](std::size_t number) -> Fate {
      if (number > 0 && random() % 1000 < loss_per_mille) return {};
      return {way};
    };
    Habits habits;
    habits.options = {{"windowsize", std::to_string(who == Who::kLockStep ? 1 : window)}};
    habits.timeout = 5s;
    habits.most_tries = 1000;
    habits.acknowledges_copies = true;
    SimTftp sim(file, habits, network, [] { return 100us; });
    if (who != Who::kOurs) {
      sim.set_sender([&](const Terms& terms, std::uint64_t size) {
        return std::make_unique<fakes::PlainSender>(terms, size, 2 * way + 200ms);
      });
    }
    const auto result = sim.run();
    EXPECT_TRUE(result.client_complete) << static_cast<int>(who);
    sum.took += result.took;
    sum.datagrams += result.server_datagrams;
  }
  return sum;
}

double seconds(base::Duration time) {
  return std::chrono::duration<double>(time).count();
}

TEST(TftpOverANetwork, IsAsFastAsThePlainSendersAndSendsNoMore) {
  std::size_t ours_in_all = 0;
  std::size_t plain_in_all = 0;
  for (const unsigned loss : {1u, 5u, 10u, 20u, 50u, 100u}) {
    for (const auto way :
         {base::Duration(0ms), base::Duration(10ms), base::Duration(100ms)}) {
      const auto lock_step = cost_of(Who::kLockStep, loss, 1, way);
      for (const unsigned window : {1u, 4u, 16u, 64u}) {
        const auto ours = cost_of(Who::kOurs, loss, window, way);
        const auto plain = cost_of(Who::kPlain, loss, window, way);
        const auto better = std::min(plain.took, lock_step.took);
        SCOPED_TRACE(
            fmt::format("loss {} per mille, window {}, one way {} ms: ours {:.2f} s and "
                        "{} datagrams, "
                        "plain {:.2f} s and {}, lock-step {:.2f} s",
                        loss, window, way / 1ms, seconds(ours.took), ours.datagrams,
                        seconds(plain.took), plain.datagrams, seconds(lock_step.took)));
        // The yardstick has read the whole file at once, so it never waits for the disk.
        EXPECT_LE(seconds(ours.took), 1.2 * seconds(better) + 0.1);
        // By chance a client's windows end elsewhere than the sender's, for a while.
        EXPECT_LE(ours.datagrams, plain.datagrams + plain.datagrams / 20);
        ours_in_all += ours.datagrams;
        plain_in_all += plain.datagrams;
      }
    }
  }
  EXPECT_LE(ours_in_all, plain_in_all);
}

TEST(TftpOverANetwork, AWindowOfOneClientThatForgotCostsNoStorm) {
  const auto file = fakes::noise(400 * 512);
  Habits habits;
  habits.options = {{"windowsize", "16"}};
  habits.acknowledges_inside = true;
  const auto network = [](std::size_t) { return Fate{1ms}; };
  const auto result = SimTftp(file, habits, network, one_millisecond).run();
  EXPECT_TRUE(result.client_complete);
  EXPECT_LE(result.server_blocks, 401u + 3 * 16u);
}

TEST(TftpOverANetwork, LearnsHowManyBlocksAWriterReallySends) {
  const auto file = fakes::noise(200 * 512);
  Habits habits;
  habits.write = true;
  habits.options = {{"windowsize", "16"}};
  habits.forgets_window = true;
  const auto network = [](std::size_t) { return Fate{1ms}; };
  const auto result = SimTftp(file, habits, network, one_millisecond).run();
  EXPECT_TRUE(result.client_complete);
  EXPECT_LE(result.server_datagrams, 210u);
}

// -- Numbered seeds --

struct Scenario {
  std::string file;
  Habits habits;
  unsigned loss = 0, doubling = 0, truncation = 0;  // percent
  unsigned delay = 0, jitter = 0;                   // milliseconds
  std::string text;
};

Options random_options(std::mt19937& random, bool write, std::size_t size) {
  const auto below = [&](unsigned n) { return random() % n; };
  constexpr const char* kBlocks[] = {"8",    "512",   "1428", "1468",
                                     "8192", "65464", "99999"};
  constexpr const char* kWindows[] = {"1", "2", "8", "16", "64", "65535"};
  Options options;
  if (below(2) == 0) options.emplace_back("blksize", kBlocks[below(7)]);
  if (below(2) == 0) options.emplace_back("windowsize", kWindows[below(6)]);
  if (below(3) == 0) options.emplace_back("timeout", std::to_string(1 + below(5)));
  if (below(3) == 0) options.emplace_back("multicast", "");
  if (below(2) == 0) {
    const auto lie = below(6) == 0 ? size + 1 + below(5000) : size;
    options.emplace_back("tsize", write ? std::to_string(lie) : "0");
  }
  return options;
}

Scenario scenario(unsigned seed) {
  std::mt19937 random(seed);
  const auto below = [&](unsigned n) { return random() % n; };
  constexpr std::size_t kSizes[] = {0, 1, 511, 512, 513, 1428, 5000, 20'000, 60'000};
  Scenario s;
  auto& habits = s.habits;
  auto size = kSizes[below(9)] + below(3);
  habits.write = below(2) == 0;
  habits.options = random_options(random, habits.write, size);
  for (const auto& [name, value] : habits.options) {
    if (name == "blksize" && value == "8") size = std::min<std::size_t>(size, 1500);
  }
  for (auto& [name, value] : habits.options) {
    if (name == "tsize" && habits.write && std::stoul(value) > 2 * size + 5000)
      value = std::to_string(size);
  }
  s.file = fakes::noise(size, seed);
  habits.netascii = below(5) == 0;
  if (habits.netascii) {
    for (auto& c : s.file) {
      if (below(3) == 0) c = below(2) == 0 ? '\r' : '\n';
    }
  }
  habits.project_machine = below(3) == 0;
  const char* oddity = "none";
  if (!habits.project_machine) {
    switch (below(16)) {
      case 0:
        habits.acknowledges_twice = true;
        oddity = "acknowledges twice";
        break;
      case 1:
        habits.answers_late = 1ms * (100 + below(4000));
        oddity = "answers late";
        break;
      case 2:
        habits.never_acknowledges_options = true;
        oddity = "never acknowledges options";
        break;
      case 3:
        habits.repeats_request = true;
        oddity = "repeats its request";
        break;
      case 4:
        habits.changes_port = true;
        oddity = "changes its port";
        break;
      case 5:
        habits.forgets_window = true;
        oddity = "forgets the window";
        break;
      case 6:
        habits.acknowledges_inside = true;
        oddity = "acknowledges inside";
        break;
      case 7:
        habits.silent_after = below(20);
        oddity = "goes silent";
        break;
      default:
        break;
    }
  }
  if (habits.answers_late > 0ms) habits.timeout = 2 * habits.answers_late;
  s.loss = below(3) == 0 ? 0 : below(20);
  s.doubling = below(2) == 0 ? 0 : below(25);
  s.truncation = below(3) == 0 ? below(5) : 0;
  s.delay = below(4) == 0 ? below(200) : 0;
  s.jitter = below(2) == 0 ? below(300) : below(3);
  s.text = fmt::format(
      "seed {}: {} of {} bytes, {}, {}, oddity: {}; loss {}%, doubling {}%, "
      "truncation {}%, delay {} ms + up to {} ms; options:",
      seed, habits.write ? "write" : "read", s.file.size(),
      habits.netascii ? "netascii" : "octet",
      habits.project_machine ? "our machine" : "a model client", oddity, s.loss,
      s.doubling, s.truncation, s.delay, s.jitter);
  for (const auto& [name, value] : habits.options) s.text += " " + name + "=" + value;
  return s;
}

// RFC 1350 has no length: DATA that was cut inside its bytes is a last block to anybody
// who was not told the size, and a request or OACK cut between two options is a sound
// one. UDP's own checksum is what stands against both; here they are not made.
void cut(base::ByteBuffer& bytes, std::size_t to, bool size_is_told) {
  auto shorter = bytes;
  shorter.resize(to);
  const auto packet = parse(shorter);
  if (packet && std::holds_alternative<OptionAck>(*packet)) return;
  if (packet && std::holds_alternative<Request>(*packet)) return;
  if (packet && std::holds_alternative<Data>(*packet) && !size_is_told) return;
  bytes = std::move(shorter);
}

SimResult run(const Scenario& s, unsigned seed) {
  std::mt19937 random(seed * 2654435761u + 1);
  const auto below = [&](unsigned n) { return random() % n; };
  const auto network = [&](std::size_t number) -> Fate {
    if (number > 0 && below(100) < s.loss) return {};
    Fate fate;
    do {
      fate.push_back(1ms * s.delay + 1us * (1000 * below(s.jitter + 1) + below(1000)));
    } while (below(100) < s.doubling && fate.size() < 3);
    return fate;
  };
  SimTftp sim(s.file, s.habits, network, [&] { return 1ms * below(20); });
  bool told = false;
  for (const auto& [name, value] : s.habits.options) {
    told = told || (name == "tsize" && !s.habits.netascii &&
                    (!s.habits.write || std::stoul(value) >= s.file.size()));
  }
  sim.set_damage([&, told](base::ByteBuffer& bytes) {
    if (below(100) < s.truncation)
      cut(bytes, below(static_cast<unsigned>(bytes.size())), told);
  });
  return sim.run();
}

// What must hold in every run, whatever the network and the client did.
void expect_honest(const Scenario& s, const SimResult& result) {
  EXPECT_TRUE(result.server_ended);
  EXPECT_LT(result.outlived, 3min) << "it lives on after the silence";
  if (s.habits.write) {
    // Promise 1: the client believes in completeness only if it is filed.
    if (result.client_complete) {
      EXPECT_TRUE(result.server_complete);
    }
    if (result.client_complete || result.whole) {
      EXPECT_TRUE(fakes::same_bytes(result.server_bytes, s.file));
    }
  } else {
    if (result.client_complete) {
      EXPECT_TRUE(fakes::same_bytes(result.client_bytes, s.file));
    }
    if (result.server_complete) {
      EXPECT_TRUE(result.client_complete);
    }
  }
  // What the client asked for bounds what it gets: blocks, and a window for each of its
  // datagrams at most; resends in its silence are few.
  std::size_t block = 512;
  std::size_t window = 1;
  const Request request{s.habits.write, "x", "octet", s.habits.options};
  const auto terms = negotiate(request, s.file.size());
  block = terms.block_size;
  window = terms.window_size;
  const auto blocks = 2 * s.file.size() / block + 2;
  const auto in_flight = std::min<std::size_t>(window, blocks);
  // A device that answers later than the timeout that it asked for is sent so many
  // copies.
  const auto copies =
      1 + static_cast<std::size_t>(s.habits.answers_late / terms.timeout.value_or(4s));
  EXPECT_LE(result.server_blocks,
            copies * (4 * blocks + in_flight * (result.client_datagrams +
                                                14 * (1 + result.transfers))))
      << "a storm of data";
  EXPECT_LE(result.server_datagrams - result.server_blocks,
            copies * (result.client_datagrams * 3 + 40 * (1 + result.transfers)))
      << "a storm of answers";
  EXPECT_LE(result.most_held,
            terms.block_size * window + 3 * std::max<std::size_t>(64 * 1024, 2 * block))
      << "too much memory";
}

TEST(TftpOverANetwork, StaysHonestUnderEverySeed) {
  unsigned first = 1;
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
  unsigned last = 3000;  // each takes ten times as long there
#else
  unsigned last = 20'000;
#endif
  const char* one = std::getenv("VANTRO_SEED");
  if (one != nullptr) first = last = static_cast<unsigned>(std::stoul(one));
  if (const char* range = std::getenv("VANTRO_SEEDS")) {
    ASSERT_EQ(std::sscanf(range, "%u-%u", &first, &last), 2) << range;
  }
  std::size_t sound = 0;
  std::size_t sound_complete = 0;
  for (unsigned seed = first; seed <= last; ++seed) {
    const auto s = scenario(seed);
    const auto result = run(s, seed);
    if (one != nullptr) {
      std::printf(
          "%s\nclient complete %d, server complete %d, %zu transfers, server sent "
          "%zu datagrams, %zu of them data; client sent %zu\n",
          s.text.c_str(), result.client_complete, result.server_complete,
          result.transfers, result.server_datagrams, result.server_blocks,
          result.client_datagrams);
    }
    SCOPED_TRACE("VANTRO_SEED=" + std::to_string(seed) + "\n" + s.text);
    expect_honest(s, result);
    const auto& h = s.habits;
    if (!h.never_acknowledges_options && !h.changes_port && !h.silent_after) {
      ++sound;
      if (result.client_complete) ++sound_complete;
    }
    if (HasFailure()) return;
  }
  if (one == nullptr) {
    EXPECT_GE(sound_complete * 100, 95 * sound) << "too many transfers were given up";
  }
}

}  // namespace
}  // namespace vantro::wire::tftp
