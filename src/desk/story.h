// What is known of one address's dealings with the server, told in plain words and in the
// order of time: how "nothing arrives" is told from "arrives and is refused" from "begins
// and breaks off", which the device itself can't tell.
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
  std::string name;      // what it asked for, if anything
  std::string heard_on;  // the listener and the network interface
  std::string sentence;
  bool caution = false;  // something about it is doubtful: another platform's image, say
};

// How long devices stayed away after such a fetch before: the shortest and the longest,
// in milliseconds.
struct Absence {
  std::int64_t shortest = 0, longest = 0;
};
// Nothing for none. The usual ones: a device that came back only after half a day was not
// busy with the image.
std::optional<Absence> usual_absence(const std::vector<std::int64_t>& absences);

struct Known {
  std::vector<ledger::Entry> entries;       // of the address, oldest first
  std::vector<gate::TransferView> running;  // of the address
  std::optional<ledger::Contact> contact;   // if it was heard since the start
  // After the last entry, if that is a complete fetch.
  std::optional<Absence> absence;
  std::vector<catalog::Kit> kits;  // that fetched images are parts of
  std::string platform, hardware;  // of the device; empty: not known
  std::string job_waits_for;       // of its open job; empty: it has none
  // For which platforms and hardware fetched images are, by their SHA-256.
  std::map<std::string, std::vector<std::string>> platforms, hardwares;
};

// Oldest first; at most one line for each entry and running transfer, and one for
// what came and was not a request.
std::vector<StoryLine> story(const Known& known, base::WallTime now);

}  // namespace vantro::desk
