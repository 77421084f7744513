// vantrod --rescue: one session from a laptop, without a service: it opens the interface,
// reports events, and the program ends with it.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "desk/rescues.h"
#include "gate/gate.h"

namespace vantro::daemon {

struct RescueOptions {
  std::string interface;  // empty: the program was started for something else
  std::string profile;
  std::string image;  // a file that is added first; empty: the catalogue has it
  std::string hold = "60m";
  std::string text;  // file
  std::vector<std::string> link_addresses;
  bool own_address = false;
  bool despite_other = false;
  bool any_device = false;
};

class RescueOnly {
 public:
  // They must outlive it.
  RescueOnly(const RescueOptions& options, desk::Rescues& rescues, gate::Gate& gate)
      : options_(options), rescues_(rescues), gate_(gate) {}

  // Prints the checks. Refused if one of them stops it.
  base::Outcome<void> open();
  // Prints new events. False: the session has ended.
  bool follow();
  // Prints the result, and what to put back.
  void say_end();

 private:
  base::Outcome<std::string> take_in(const jobs::rescue::Profile& profile);

  const RescueOptions& options_;
  desk::Rescues& rescues_;
  gate::Gate& gate_;
  std::int64_t session_ = 0;
  std::size_t told_ = 0;
  std::string stage_;
};

}  // namespace vantro::daemon
