// How many datagrams an address gets that may not have asked: a request's sender can be
// forged, and the answers then hit somebody else. An address that acknowledges has proved
// that it is there, and is not counted for a while.
//
// Three budgets for each address, and eight times as much for each IPv6 /64, in which one
// host has any number of addresses, each filled up again with time: transfers begun that
// were never acknowledged, refusals, and answers to datagrams that are not requests.
// Not thread-safe; bounded in memory.
#pragma once

#include <cstddef>
#include <cstdint>
#include <map>

#include "base/address.h"
#include "base/clock.h"

namespace vantro::wire::tftp {

class AnswerBudget {
 public:
  enum class For { kTransfer, kRefusal, kStray };
  enum class Verdict {
    kAnswer,
    kLastAnswer,  // answer once that no more answers will come for now
    kSilence,
  };

  struct Purse {
    double most;           // answers at once
    base::Duration every;  // one more after this time
  };
  // A boot loader asks for a dozen names that may not exist, one right after the other,
  // and so do two dozen switches behind one address.
  struct Config {
    Purse transfer{8, std::chrono::seconds(15)};
    Purse refusal{64, std::chrono::milliseconds(500)};
    Purse stray{8, std::chrono::seconds(5)};
    base::Duration trusted_for = std::chrono::minutes(10);
    std::size_t most_addresses = 8192;
  };

  AnswerBudget() : AnswerBudget(Config{}) {}
  explicit AnswerBudget(const Config& config) : config_(config) {}

  static constexpr double kOfNetwork = 8;  // times the budget of an address

  Verdict ask(const base::Address& address, For what, base::Instant now);
  // The answer was not sent after all.
  void give_back(const base::Address& address, For what, base::Instant now);
  // It has acknowledged a packet. Counts for transfers only: refusals stay limited, as
  // they are not acknowledged.
  void proven(const base::Address& address, base::Instant now);

  std::size_t addresses() const { return accounts_.size(); }

 private:
  struct Level {
    double left;
    base::Instant at;
    bool told = false;  // that it is empty
  };
  struct Account {
    Level levels[3];
    base::Instant trusted_until;
    base::Instant used_at;
  };

  using Accounts = std::map<base::Address, Account>;

  // `times`: the budgets, as a multiple of the configured.
  Account& account(Accounts& accounts, const base::Address& address, double times,
                   base::Instant now);
  // Whether there is one more in it; then it is used up.
  bool take(Account& account, For what, double times, base::Instant now) const;
  const Purse& purse(For what) const;

  Config config_;  // constant after construction
  Accounts accounts_;
  Accounts networks_;  // IPv6
};

}  // namespace vantro::wire::tftp
