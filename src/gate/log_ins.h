// Log-ins over the devices' protocols, with a password or a key.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <string_view>

#include "auth/account.h"
#include "auth/log_ins.h"
#include "auth/mistakes.h"
#include "base/outcome.h"
#include "gate/asker.h"

namespace vantro::gate {

struct Workings;

// Thread-safe. The gate must outlive it.
class LogIns {
 public:
  explicit LogIns(Workings& workings);

  // The account's name, for Asker::account. kAccountNeeded, kBusy; kDenied if nothing is
  // open to the asker's address, whatever the password, or the account is switched off or
  // has expired; that is recorded. Takes about a tenth of a second and 64 MiB. An account
  // that may not be used from the address is treated as unknown.
  base::Outcome<std::string> check(const Asker& asker, std::string_view name,
                                   std::string_view password);
  // The same, if it was right lately; cheap enough for an I/O thread, as all below.
  std::optional<std::string> remembered(const Asker& asker, std::string_view name,
                                        std::string_view password);
  // kDenied if nothing is open to the asker's address over its protocol: then no password
  // and no key is checked. Not recorded.
  base::Outcome<void> may_try(const Asker& asker) const;

  // Whether the account has this key (in base64, RFC 4253, 6.6), and may be used from the
  // asker's address. The caller must have proved that the client has the private key.
  bool has_key(const Asker& asker, std::string_view name, const std::string& key) const;
  // The current account; null: there is no such account.
  std::shared_ptr<const auth::Account> find(const std::string& name) const;

  // Of all attempts with passwords and tokens, people's included.
  auth::Mistakes& mistakes() { return mistakes_; }

  // Writes a note about a log-in to ledger and log.
  void record(const Asker& asker, const std::string& sentence);

 private:
  Workings& workings_;
  auth::Mistakes mistakes_;
  // The account, if it can be used from there at all.
  std::shared_ptr<const auth::Account> find_from(const base::Address& address,
                                                 std::string_view typed) const;

  auth::LogIns passwords_;
};

}  // namespace vantro::gate
