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
  std::vector<std::string> platforms;  // that it is for
  std::vector<std::string> hardware;   // revisions of them; empty: any
  std::string role;                    // "system", "boot", "module", "recovery", "other"
  std::string version;
  std::string line;                    // release line; empty: the version's own
  std::string stage;                   // "new", "proven", "retiring", "withdrawn"
  std::optional<std::uint64_t> space;  // bytes that a device needs for it
  std::string remarks;                 // to be read before it is used
  std::string source;                  // where it came from
  // Names of facts that nobody gave and no recognisers of the user's told.
  std::vector<std::string> guessed = {};

  bool is_guessed(const std::string& fact) const;
  bool operator==(const Facts&) const = default;

  // `line`, or what the version tells.
  std::string release_line() const;
};

// The names of the facts, in the order in which they are shown: "maker", "platform",
// "hardware", "role", "version", "line", "stage", "space", "remarks", "source".
const std::vector<std::string>& fact_names();

// A fact as text: lists with ", " between, the space in bytes; empty: not known.
// REQUIRES: a name of fact_names().
std::string fact(const Facts& facts, const std::string& name);

// kInvalid: there is no such fact, or it can't have this value. An empty text forgets it.
// Stage "withdrawn" is kInvalid, too: withdrawing is more than a fact. It is guessed no
// longer.
base::Outcome<void> set_fact(Facts& facts, const std::string& name,
                             const std::string& text);

// "it is for lattice24, and the device is a causeway4"; empty where it fits, or one of
// the two is not known.
std::string other_platform(const std::vector<std::string>& of_image,
                           const std::string& of_device);

// The same for hardware revisions.
std::string other_hardware(const std::vector<std::string>& of_image,
                           const std::string& of_device);

// What a recogniser, or a look inside, makes of a file.
struct Suggestion {
  std::string fact;
  std::string text;
  std::string origin;  // "name, by recogniser 'causeway'"
  bool guessed = false;
};

// Of all recognisers that fit the name, the first for each fact, and then what can be
// guessed (catalog/guesses.h). What can't be such a fact is left out.
std::vector<Suggestion> suggestions(const std::vector<text::Recogniser>& recognisers,
                                    const std::string& file_name);

// What the images of one release line have in common, for sorting and grouping.
std::string line_key(const Facts& facts);

}  // namespace vantro::catalog
