// The story of one address's dealings with the server, in plain words and in the order of
// time: it distinguishes "nothing arrives" from "arrives and is refused" from "begins and
// is interrupted", which the device itself cannot do.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "base/clock.h"
#include "catalog/kits.h"
#include "gate/transfers.h"
#include "ledger/contacts.h"
#include "ledger/ledger.h"

namespace vantro::desk {

struct StoryLine {
  base::WallTime at = 0;
  // "heard", "refused", "running", "stalled", "complete", "failed", "abandoned"
  std::string state;
  std::string name;      // the requested name, if any
  std::string heard_on;  // the listener and the network interface
  std::string sentence;
  bool caution = false;  // something is doubtful: another platform's image, say
};

// How long devices stayed away after such a fetch before: the shortest and the longest,
// in milliseconds.
struct Absence {
  std::int64_t shortest = 0, longest = 0;
};
// Nothing for none. Only usual ones: a device that came back after half a day was not
// busy with the image.
std::optional<Absence> usual_absence(const std::vector<std::int64_t>& absences);

struct Known {
  std::vector<ledger::Entry> entries;       // of the address, oldest first
  std::vector<gate::TransferView> running;  // of the address
  std::optional<ledger::Contact> contact;   // if it was heard since the start
  // After the last entry, if that is a complete fetch.
  std::optional<Absence> absence;
  std::vector<catalog::Kit> kits;  // with fetched images in them
  std::string platform, hardware;  // the device's; empty: unknown
  std::string job_waits_for;       // of its open job; empty: it has none
  // The platforms and hardware of fetched images, by their SHA-256.
  std::map<std::string, std::vector<std::string>> platforms, hardwares;
};

// Oldest first; at most one line for each entry and running transfer, and one for packets
// that were not a request.
std::vector<StoryLine> story(const Known& known, base::WallTime now);

}  // namespace vantro::desk
