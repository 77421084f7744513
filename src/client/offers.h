// The commands about offers, kits and what is stored as a whole.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "client/answers.h"

namespace vantro::client {

struct OfferOptions {
  std::string image;                 // add, change
  std::string name;                  // what devices type; add: empty is the image's name
  std::optional<std::string> to;     // a network, or "all"
  std::optional<std::string> over;   // protocols, or "all"
  std::optional<std::string> until;  // a time or a span; "ever"
  std::optional<std::string> of;     // change, end: to which network the one meant is
};
Done add_offer(const Context& context, const OfferOptions& options);
Done change_offer(const Context& context, const OfferOptions& options);
Done end_offer(const Context& context, const OfferOptions& options);
// At a time in the past, if one is given.
Done list_offers(const Context& context, const std::string& at);
Done show_offer_history(const Context& context, const std::string& name);
Done write_checksums(const Context& context, const std::string& algorithm);

struct KitOptions {
  std::string name;
  std::vector<std::string> images;
  std::vector<std::string> part_remarks;
  std::string remarks;
};
Done add_kit(const Context& context, const KitOptions& options);
Done list_kits(const Context& context);
Done show_kit(const Context& context, const std::string& name);
Done remove_kit(const Context& context, const std::string& name);

struct VerifyOptions {
  std::string image;
  std::int64_t unread_days = 0;
  std::optional<std::string> rate;  // "32 MiB" for a second; "0": as fast as can be
  bool follow_only = false;         // begin nothing
  bool no_wait = false;
};
// kChecksum if something is damaged.
Done verify(const Context& context, const VerifyOptions& options);

}  // namespace vantro::client
