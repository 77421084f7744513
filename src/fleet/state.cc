#include "fleet/state.h"

#include <algorithm>
#include <fmt/format.h>
#include <tuple>

#include "base/address.h"
#include "base/numbers.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "text/nearest.h"

namespace vantro::fleet {
namespace {

using base::Kind;

constexpr std::size_t kLongestLabel = 64;
constexpr std::size_t kLongestText = 200;
constexpr std::size_t kMostItems = 64;

auto place_of(const StateValue& value) {
  return std::tie(value.member, value.field, value.item);
}

base::Outcome<std::string> one_line(std::string_view field, std::string_view typed,
                                    std::size_t longest) {
  const auto text = base::trimmed(typed);
  if (text.size() <= longest && base::printable(text, longest) == text) {
    return std::string(text);
  }
  return base::refuse(
      Kind::kInvalid,
      fmt::format("{} must be one line of at most {} bytes", field, longest));
}

struct Item {
  std::string label, text;
};

// "A=x, B=y"; without "=" the label is empty, if the field allows that.
base::Outcome<std::vector<Item>> items_of(std::string_view field, std::string_view text,
                                          bool needs_label) {
  std::vector<Item> items;
  while (!text.empty()) {
    const auto end = std::min(text.find(','), text.size());
    const auto part = text.substr(0, end);
    text.remove_prefix(std::min(end + 1, text.size()));
    if (base::trimmed(part).empty()) continue;
    const auto equals = part.find('=');
    if (equals == std::string_view::npos && needs_label) {
      return base::refuse(
          Kind::kInvalid,
          fmt::format("'{}' does not say which slot; example: \"A=weir2-12.0.5.img, "
                      "B=empty\"",
                      base::printable(base::trimmed(part), 60)));
    }
    const bool labelled = equals != std::string_view::npos;
    auto label = one_line(field, labelled ? part.substr(0, equals) : "", kLongestLabel);
    if (!label) return base::refuse(label.error());
    auto value = one_line(field, labelled ? part.substr(equals + 1) : part, kLongestText);
    if (!value) return base::refuse(value.error());
    items.push_back({std::move(*label), std::move(*value)});
  }
  if (items.size() > kMostItems) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("{}: at most {} at once", field, kMostItems));
  }
  return items;
}

base::Outcome<std::string> address_of(std::string_view field, std::string_view text) {
  const auto slash = field == "own_address" ? text.find('/') : std::string_view::npos;
  const auto address = base::Address::parse(text.substr(0, slash));
  bool sound = address.has_value();
  if (sound && slash != std::string_view::npos) {
    const auto prefix = base::parse_number<unsigned>(text.substr(slash + 1));
    sound = prefix && *prefix <= (address->is_v4() ? 32u : 128u);
  }
  if (sound) return std::string(text);
  return base::refuse(
      Kind::kInvalid,
      fmt::format("{}: '{}' is not an IP address{}", field, base::printable(text, 60),
                  field == "own_address" ? " such as 192.0.2.7 or 192.0.2.7/24" : ""));
}

// In bytes. `unit` applies to a plain number. Returns nothing if the text is not a size.
std::optional<std::uint64_t> bytes_of(std::string text, const std::string& unit) {
  std::erase(text, ',');
  std::erase(text, '\'');
  if (!unit.empty() && text.find_first_not_of("0123456789") == std::string::npos) {
    text += " " + unit;
  }
  const auto folded = base::folded(text);
  for (const auto* bytes : {" bytes", " byte"}) {
    if (folded.ends_with(bytes)) {
      text.resize(text.size() - std::string_view(bytes).size());
    }
  }
  return base::parse_size(text);
}

}  // namespace

const StateValue* State::find(std::string_view field, std::string_view member,
                              std::string_view item) const {
  for (const auto& one : values_) {
    if (one.field == field && one.member == member && one.item == item) return &one;
  }
  return nullptr;
}

std::vector<const StateValue*> State::all(std::string_view field) const {
  std::vector<const StateValue*> found;
  for (const auto& one : values_) {
    if (one.field == field) found.push_back(&one);
  }
  return found;
}

std::string State::text(std::string_view field, std::string_view member) const {
  const auto* found = find(field, member);
  return found == nullptr ? std::string() : found->value;
}

std::vector<std::string> State::members() const {
  std::vector<std::string> found;
  for (const auto& one : values_) {
    if (!one.member.empty() && (found.empty() || found.back() != one.member)) {
      found.push_back(one.member);
    }
  }
  return found;
}

void State::set(StateValue value) {
  const auto at = std::lower_bound(
      values_.begin(), values_.end(), value,
      [](const auto& a, const auto& b) { return place_of(a) < place_of(b); });
  const bool there = at != values_.end() && place_of(*at) == place_of(value);
  if (value.value.empty()) {
    if (there) values_.erase(at);
  } else if (there) {
    *at = std::move(value);
  } else {
    values_.insert(at, std::move(value));
  }
}

void State::clear(std::string_view field, std::string_view member) {
  std::erase_if(values_, [&](const auto& one) {
    return one.field == field && one.member == member;
  });
}

const std::vector<std::string>& state_field_names() {
  static const std::vector<std::string> names{
      kVersion,     kBootVersion, "model",        "serial", kSlot,
      kRunningSlot, kNextSlot,    kOnceSlot,      kFree,    "own_address",
      "mask",       "gateway",    "recovery_port"};
  return names;
}

bool is_state_field(std::string_view field) {
  const auto& names = state_field_names();
  return std::find(names.begin(), names.end(), field) != names.end();
}

base::Outcome<void> enter(State& state, std::string_view field, std::string_view given,
                          const Origin& origin) {
  if (!is_state_field(field)) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' is not a value of a device's state; known: {}",
                    base::printable(field, 40), fmt::join(state_field_names(), ", ")),
        text::nearest(std::string(field), state_field_names()).value_or(""));
  }
  const auto member = one_line("member", origin.member, kLongestLabel);
  if (!member) return base::refuse(member.error());
  const auto text = base::trimmed(given);
  const auto set = [&](std::string item, std::string value) {
    state.set({*member, std::string(field), std::move(item), std::move(value), origin.at,
               origin.source});
  };
  if (text.empty()) {
    state.clear(field, *member);
    return {};
  }
  if (field == kSlot || field == kFree) {
    auto items = items_of(field, text, field == kSlot);
    if (!items) return base::refuse(items.error());
    for (auto& one : *items) {
      if (field == kFree && !one.text.empty()) {
        const auto bytes = bytes_of(one.text, "");
        if (!bytes) {
          return base::refuse(
              Kind::kInvalid,
              fmt::format("free: '{}' is not a size; example: \"120 MiB\"",
                          base::printable(one.text, 60)));
        }
        one.text = std::to_string(*bytes);
      }
      set(std::move(one.label), std::move(one.text));
    }
    return {};
  }
  if (field == "own_address" || field == "mask" || field == "gateway") {
    auto address = address_of(field, text);
    if (!address) return base::refuse(address.error());
    set("", std::move(*address));
    return {};
  }
  auto line = one_line(field, text, kLongestText);
  if (!line) return base::refuse(line.error());
  set("", std::move(*line));
  return {};
}

std::string entered_text(const State& state, std::string_view field,
                         std::string_view member) {
  std::string text;
  for (const auto* one : state.all(field)) {
    if (one->member != member) continue;
    const auto value =
        field == kFree
            ? base::size_text(base::parse_number<std::uint64_t>(one->value).value_or(0))
            : one->value;
    text += fmt::format("{}{}{}{}", text.empty() ? "" : ", ", one->item,
                        one->item.empty() ? "" : "=", value);
  }
  return text;
}

Learnt learn(const text::ReportFound& found, const Origin& origin) {
  Learnt learnt;
  State state;
  for (const auto& record : found.records) {
    const auto value = [&](const char* group) {
      const auto at = record.values.find(group);
      return at == record.values.end() ? std::string() : at->second;
    };
    const auto member = value("member").empty() ? origin.member : value("member");
    const auto set = [&](const char* field, const std::string& item,
                         const std::string& text) {
      if (text.empty()) return;
      state.set({member, field, item, text, origin.at, origin.source});
    };
    const auto slot = value("slot");
    if (slot.empty()) {
      set(kVersion, "", value("version"));
    } else {
      set(kSlot, slot, value("content").empty() ? value("version") : value("content"));
      if (!value("running").empty()) {
        set(kRunningSlot, "", slot);
        set(kVersion, "", value("version"));
      }
      if (!value("next").empty()) set(kNextSlot, "", slot);
      if (!value("once").empty()) set(kOnceSlot, "", slot);
    }
    set(kBootVersion, "", value("boot_version"));
    set("serial", "", value("serial"));
    set("model", "", value("model"));
    if (member == origin.member) {
      if (!value("model").empty()) learnt.platform = value("model");
      if (!value("hardware").empty()) learnt.hardware = value("hardware");
    }
    if (const auto free = value("free"); !free.empty()) {
      if (const auto bytes = bytes_of(free, value("unit"))) {
        set(kFree, value("storage"), std::to_string(*bytes));
      } else {
        learnt.wrong.push_back(
            fmt::format("line {}: '{}' is not a size", record.line, free));
      }
    }
  }
  learnt.values = state.values();
  return learnt;
}

}  // namespace vantro::fleet
