// What is known about an image besides its bytes. Facts change, bytes never do.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "text/recogniser.h"
#include "text/version.h"

namespace vantro::catalog {

struct Facts {
  std::string maker;
  std::vector<std::string> platforms;  // the platforms that it is for
  std::vector<std::string> hardware;   // hardware revisions; empty: any
  std::string role;                    // "system", "boot", "module", "recovery", "other"
  std::string version;
  std::string line;                    // release line; empty: the version's own
  std::string stage;                   // "new", "proven", "retiring", "withdrawn"
  std::optional<std::uint64_t> space;  // bytes that it needs on a device
  std::string remarks;                 // to be read before use
  std::string source;                  // where it came from
  // Names of facts that were guessed: neither given by a person nor told by a recogniser.
  std::vector<std::string> guessed = {};

  bool is_guessed(const std::string& fact) const;
  bool operator==(const Facts&) const = default;

  // `line`, or else the one that the version implies.
  std::string release_line() const;
};

// The names of the facts, in the order in which they are shown: "maker", "platform",
// "hardware", "role", "version", "line", "stage", "space", "remarks", "source".
const std::vector<std::string>& fact_names();

// A fact as text: lists separated by ", ", the space in bytes; empty: not known.
// REQUIRES: a name of fact_names().
std::string fact(const Facts& facts, const std::string& name);

// kInvalid: there is no such fact, or it cannot have this value. An empty text clears it.
// Stage "withdrawn" is kInvalid, too: withdrawing is more than a fact. A set fact is no
// longer guessed.
base::Outcome<void> set_fact(Facts& facts, const std::string& name,
                             const std::string& text);

// "it is for lattice24, and the device is a causeway4"; empty if it fits, or one of the
// two is unknown.
std::string other_platform(const std::vector<std::string>& of_image,
                           const std::string& of_device);

// The same for hardware revisions.
std::string other_hardware(const std::vector<std::string>& of_image,
                           const std::string& of_device);

// Facts that a recogniser or a look inside suggests for a file.
struct Suggestion {
  std::string fact;
  std::string text;
  std::string origin;  // "name, by recogniser 'causeway'"
  bool guessed = false;
};

// From all recognisers that match the name, the first for each fact, and then guesses
// (catalog/guesses.h). Values that are not valid facts are left out.
std::vector<Suggestion> suggestions(const std::vector<text::Recogniser>& recognisers,
                                    const std::string& file_name);

// The common facts of the images of one release line, for sorting and grouping.
std::string line_key(const Facts& facts);

}  // namespace vantro::catalog
