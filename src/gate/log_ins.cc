#include "gate/log_ins.h"

#include <algorithm>
#include <fmt/format.h>

#include "auth/rules.h"
#include "base/protocol.h"
#include "gate/workings.h"

namespace vantro::gate {
namespace {

// Its expiry, and whether it is switched on.
bool holds(const auth::Account& account, base::WallTime now) {
  return account.on && !(account.until && now >= *account.until);
}

}  // namespace

LogIns::LogIns(Workings& workings)
    : workings_(workings),
      mistakes_(workings.clock),
      passwords_(
          [this](std::string_view typed) -> std::optional<auth::LogIns::Holder> {
            const auto name = auth::account_name(typed);
            const auto account = name ? find(*name) : nullptr;
            if (!account) return std::nullopt;
            return auth::LogIns::Holder{account->name, account->hash,
                                        account->changed_at};
          },
          mistakes_, workings.clock) {}

std::shared_ptr<const auth::Account> LogIns::find(const std::string& name) const {
  return workings_.repository.snapshot()->accounts->find(name);
}

std::shared_ptr<const auth::Account> LogIns::find_from(const base::Address& address,
                                                       std::string_view typed) const {
  const auto name = auth::account_name(typed);
  auto account = name ? find(*name) : nullptr;
  return account && account->networks.contains(address) ? account : nullptr;
}

base::Outcome<void> LogIns::may_try(const Asker& asker) const {
  if (auth::opens_anything(workings_.config()->rules, asker.peer.address,
                           base::spoken_with(asker.protocol))) {
    return {};
  }
  return base::refuse(base::Kind::kDenied,
                      fmt::format("nothing is open to {} over {}",
                                  asker.peer.address.text(), asker.protocol));
}

base::Outcome<std::string> LogIns::check(const Asker& asker, std::string_view name,
                                         std::string_view password) {
  const auto refused = [&](const base::Refusal& refusal) {
    // The name only: a text typed as a name may be the password.
    const auto known = auth::account_name(name);
    workings_.record_refusal(asker, "log-in", known && find(*known) ? *known : "",
                             refusal);
    return base::refuse(refusal);
  };
  if (auto may = may_try(asker); !may) return refused(may.error());
  const auto address = asker.peer.address;
  // An account that may not be used from this address counts as unknown.
  const bool here = find_from(address, name) != nullptr;
  auto right = passwords_.check(address, name, password, here);
  if (!right) return refused(right.error());
  const auto account = find(*right);
  const auto now = workings_.clock.wall();
  if (account && !holds(*account, now)) {
    return refused({base::Kind::kDenied,
                    account->on
                        ? fmt::format("account '{}' ended {}", account->name,
                                      base::local_time(*account->until))
                        : fmt::format("account '{}' is switched off", account->name)});
  }
  return right;
}

std::optional<std::string> LogIns::remembered(const Asker& asker, std::string_view name,
                                              std::string_view password) {
  const auto account = find_from(asker.peer.address, name);
  const bool usable = account && holds(*account, workings_.clock.wall());
  if (!usable || !may_try(asker)) return std::nullopt;
  return passwords_.remembered(name, password);
}

bool LogIns::has_key(const Asker& asker, std::string_view name,
                     const std::string& key) const {
  const auto account = find_from(asker.peer.address, name);
  return account && holds(*account, workings_.clock.wall()) && may_try(asker) &&
         std::any_of(account->keys.begin(), account->keys.end(),
                     [&](const auto& one) { return one.blob == key; });
}

void LogIns::record(const Asker& asker, const std::string& sentence) {
  ledger::Entry entry;
  entry.at = workings_.clock.wall();
  entry.event = "log-in";
  entry.actor = asker.peer.address.text();
  entry.device = workings_.repository.inventory.device_at(asker.peer.address);
  entry.protocol = asker.protocol;
  entry.heard_on = asker.heard_on;
  entry.request = asker.request;
  entry.account = asker.account;
  entry.outcome = "done";
  entry.sentence = sentence;
  workings_.log.info("log-in", {{"protocol", asker.protocol},
                                {"peer", asker.peer.text()},
                                {"account", asker.account},
                                {"remark", sentence}});
  workings_.recording.record(std::move(entry), asker.peer.address, *workings_.config());
}

}  // namespace vantro::gate
