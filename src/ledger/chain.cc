#include "ledger/chain.h"

#include <fmt/format.h>

#include "base/bytes.h"
#include "crypto/digests.h"

namespace vantro::ledger {

std::string chained(const std::string& before, const Entry& entry) {
  std::string text;
  // With their lengths, so that two different rows never give the same text.
  const auto add = [&](const std::string& value) {
    text += fmt::format("{}:{}\n", value.size(), value);
  };
  add(before);
  add(std::to_string(entry.id));
  add(std::to_string(entry.at));
  add(entry.event);
  add(entry.actor);
  add(entry.from);
  add(entry.protocol);
  add(entry.heard_on);
  add(entry.account);
  add(entry.name);
  add(entry.sha256);
  add(std::to_string(entry.bytes));
  add(entry.total ? std::to_string(*entry.total) : "");
  add(std::to_string(entry.duration_ms));
  add(std::to_string(entry.resent));
  add(entry.outcome);
  add(entry.sentence);
  // Rows of earlier versions lack it, and their hashes must stay unchanged.
  if (!entry.request.empty()) add(entry.request);
  // No request begins so.
  if (!entry.mirror.empty()) add("via " + entry.mirror);
  crypto::Sha256 digest;
  digest.update(base::as_bytes(text));
  return digest.finish();
}

}  // namespace vantro::ledger
