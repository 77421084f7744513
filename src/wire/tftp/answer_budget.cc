#include "wire/tftp/answer_budget.h"

#include <algorithm>
#include <utility>
#include <vector>

namespace vantro::wire::tftp {

const AnswerBudget::Purse& AnswerBudget::purse(For what) const {
  switch (what) {
    case For::kTransfer:
      return config_.transfer;
    case For::kRefusal:
      return config_.refusal;
    case For::kStray:
      return config_.stray;
  }
  return config_.stray;
}

AnswerBudget::Account& AnswerBudget::account(Accounts& accounts,
                                             const base::Address& address, double times,
                                             base::Instant now) {
  if (const auto found = accounts.find(address); found != accounts.end()) {
    found->second.used_at = now;
    return found->second;
  }
  if (accounts.size() >= config_.most_addresses) {
    // A flood from forged addresses must not cost more than this. The older half is
    // dropped; addresses in it begin with full budgets again.
    std::vector<base::Instant> used;
    used.reserve(accounts.size());
    for (const auto& [at, one] : accounts) used.push_back(one.used_at);
    const auto middle = used.begin() + static_cast<std::ptrdiff_t>(used.size() / 2);
    std::nth_element(used.begin(), middle, used.end());
    const auto limit = *middle;
    std::erase_if(accounts, [&](const auto& one) { return one.second.used_at <= limit; });
  }
  const auto full = [&](For what) { return Level{times * purse(what).most, now}; };
  const Account fresh{{full(For::kTransfer), full(For::kRefusal), full(For::kStray)},
                      now - base::Duration(1),
                      now};
  return accounts.emplace(address, fresh).first->second;
}

bool AnswerBudget::take(Account& one, For what, double times, base::Instant now) const {
  const auto& limits = purse(what);
  auto& level = one.levels[static_cast<std::size_t>(what)];
  const auto gained = times * std::chrono::duration<double>(now - level.at) /
                      std::chrono::duration<double>(limits.every);
  level.left = std::min(times * limits.most, level.left + gained);
  level.at = now;
  if (level.left < 1) return false;
  level.left -= 1;
  level.told = false;
  return true;
}

AnswerBudget::Verdict AnswerBudget::ask(const base::Address& address, For what,
                                        base::Instant now) {
  auto& one = account(accounts_, address, 1, now);
  if (what == For::kTransfer && now <= one.trusted_until) return Verdict::kAnswer;
  auto& level = one.levels[static_cast<std::size_t>(what)];
  if (!take(one, what, 1, now)) {
    return std::exchange(level.told, true) ? Verdict::kSilence : Verdict::kLastAnswer;
  }
  if (address.is_v4()) return Verdict::kAnswer;
  auto& network = account(networks_, address.network(), kOfNetwork, now);
  if (take(network, what, kOfNetwork, now)) return Verdict::kAnswer;
  auto& told = network.levels[static_cast<std::size_t>(what)].told;
  return std::exchange(told, true) ? Verdict::kSilence : Verdict::kLastAnswer;
}

void AnswerBudget::give_back(const base::Address& address, For what, base::Instant now) {
  const auto put = [&](Account& one, double times) {
    auto& level = one.levels[static_cast<std::size_t>(what)];
    level.left = std::min(times * purse(what).most, level.left + 1);
  };
  put(account(accounts_, address, 1, now), 1);
  if (!address.is_v4()) {
    put(account(networks_, address.network(), kOfNetwork, now), kOfNetwork);
  }
}

void AnswerBudget::proven(const base::Address& address, base::Instant now) {
  auto& one = account(accounts_, address, 1, now);
  one.trusted_until = now + config_.trusted_for;
  one.levels[static_cast<std::size_t>(For::kTransfer)].left = config_.transfer.most;
}

}  // namespace vantro::wire::tftp
