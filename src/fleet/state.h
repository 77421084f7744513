// What is known about a device's software: the running version, the contents of its
// slots, free space, and its address during recovery. Each value has a time and a source.
// A stack is one device; its members have values of their own.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/clock.h"
#include "base/outcome.h"
#include "text/report_reader.h"

namespace vantro::fleet {

struct StateValue {
  std::string member;  // of a stack; empty: the device
  std::string field;   // one of the names below
  std::string item;    // which slot, storage or file; else empty
  std::string value;   // never empty
  base::WallTime at = 0;
  std::string source;  // "kim", "report 'unit.rpt' revision 3"

  bool operator==(const StateValue&) const = default;
};

// Names of fields. kSlot: its item is the label, its value an image of the catalogue or
// free text. kFree: its item is the storage, its value bytes. kHolds: its item is a file
// name on the device, its value an image that the device sent or fetched under it.
inline constexpr const char* kVersion = "running_version";
inline constexpr const char* kBootVersion = "boot_version";
inline constexpr const char* kSlot = "slots";
inline constexpr const char* kRunningSlot = "running_slot";
inline constexpr const char* kNextSlot = "next_slot";
inline constexpr const char* kOnceSlot = "once_slot";
inline constexpr const char* kFree = "free";
inline constexpr const char* kHolds = "holds";

class State {
 public:
  const std::vector<StateValue>& values() const { return values_; }
  bool empty() const { return values_.empty(); }

  // Null: unknown.
  const StateValue* find(std::string_view field, std::string_view member = "",
                         std::string_view item = "") const;
  // Of all members, in their order; the device's own first.
  std::vector<const StateValue*> all(std::string_view field) const;
  std::string text(std::string_view field, std::string_view member = "") const;
  // The members with known values, by name; not the device itself.
  std::vector<std::string> members() const;

  // An empty value clears it.
  void set(StateValue value);
  // All items of a field.
  void clear(std::string_view field, std::string_view member);

 private:
  std::vector<StateValue> values_;  // by member, field, item
};

// Fields that people can enter, in the order of display: "running_version",
// "boot_version", "model", "serial", "slots", "running_slot", "next_slot", "once_slot",
// "free", "own_address", "mask", "gateway", "recovery_port".
const std::vector<std::string>& state_field_names();
bool is_state_field(std::string_view field);

// The source of a value.
struct Origin {
  std::string member;  // the whole device, if empty
  base::WallTime at = 0;
  std::string source;
};

// As a person types it: slots as "A=IMAGE, B=text", free as "flash=120 MiB" or "120 MiB";
// items that are not named stay. An empty text clears the whole field. kInvalid.
base::Outcome<void> enter(State& state, std::string_view field, std::string_view text,
                          const Origin& origin);
// The same text from the state.
std::string entered_text(const State& state, std::string_view field,
                         std::string_view member = "");

// Facts from a listing.
struct Learnt {
  std::string platform, hardware;  // of the whole device; empty: not in the listing
  std::vector<StateValue> values;
  // Matches that make no sense: "line 7: '1O MB' is not a size".
  std::vector<std::string> wrong;
};
Learnt learn(const text::ReportFound& found, const Origin& origin);

}  // namespace vantro::fleet
