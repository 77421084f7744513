#include "gate/log_ins.h"

#include <algorithm>

#include "gate/workings.h"

namespace vantro::gate {

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

base::Outcome<std::string> LogIns::check(const Asker& asker, std::string_view name,
                                         std::string_view password) {
  auto account = passwords_.check(asker.peer.address, name, password);
  // The name only: what was typed as one may be the password.
  if (!account) {
    const auto known = auth::account_name(name);
    workings_.record_refusal(asker, "log-in", known && find(*known) ? *known : "",
                             account.error());
  }
  return account;
}

std::optional<std::string> LogIns::remembered(std::string_view name,
                                              std::string_view password) {
  return passwords_.remembered(name, password);
}

bool LogIns::has_key(std::string_view name, const std::string& key) const {
  const auto sound = auth::account_name(name);
  const auto account = sound ? find(*sound) : nullptr;
  return account && std::any_of(account->keys.begin(), account->keys.end(),
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
  entry.account = asker.account;
  entry.outcome = "done";
  entry.sentence = sentence;
  workings_.log.info("log-in", {{"protocol", asker.protocol},
                                {"peer", asker.peer.text()},
                                {"account", asker.account},
                                {"remark", sentence}});
  workings_.repository.ledger.append(std::move(entry));
}

}  // namespace vantro::gate
