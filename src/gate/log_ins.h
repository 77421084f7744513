// Log-ins of those who come over a device's protocol, with a password or a key.
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

  // The account's name, to be put into Asker::account. kAccountNeeded or kBusy; that is
  // recorded. Takes about a tenth of a second and 64 MiB.
  base::Outcome<std::string> check(const Asker& asker, std::string_view name,
                                   std::string_view password);
  // The same, if it was right lately; cheap enough for an I/O thread, as all below.
  std::optional<std::string> remembered(std::string_view name, std::string_view password);

  // Whether the account has this key (in base64, RFC 4253, 6.6). Whoever logs in with it
  // must have shown that the other half is theirs.
  bool has_key(std::string_view name, const std::string& key) const;
  // The account as it is now; null: there is none of that name.
  std::shared_ptr<const auth::Account> find(const std::string& name) const;

  // Of all who try passwords and tokens, people included.
  auth::Mistakes& mistakes() { return mistakes_; }

  // Something that is to be known of a log-in, into ledger and log.
  void record(const Asker& asker, const std::string& sentence);

 private:
  Workings& workings_;
  auth::Mistakes mistakes_;
  auth::LogIns passwords_;
};

}  // namespace vantro::gate
