#include "catalog/facts.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <map>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "catalog/guesses.h"
#include "text/nearest.h"

namespace vantro::catalog {
namespace {

using base::Kind;

constexpr std::size_t kLongestFact = 200;
constexpr std::size_t kLongestRemarks = 4000;
constexpr std::size_t kMostInList = 50;

const std::vector<std::string> kRoles{"system", "boot", "module", "recovery", "other"};
const std::vector<std::string> kStages{"new", "proven", "retiring"};

std::vector<std::string> list_of(std::string_view text) {
  std::vector<std::string> items;
  while (!text.empty()) {
    const auto comma = text.find(',');
    auto item = std::string(base::trimmed(text.substr(0, comma)));
    if (!item.empty() && std::find(items.begin(), items.end(), item) == items.end()) {
      items.push_back(std::move(item));
    }
    text.remove_prefix(comma == std::string_view::npos ? text.size() : comma + 1);
  }
  return items;
}

base::Outcome<void> set_word(std::string& to, const std::string& name,
                             const std::string& text,
                             const std::vector<std::string>& words) {
  auto word = base::folded(text);
  if (!word.empty() && std::find(words.begin(), words.end(), word) == words.end()) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' is not a {}; there are {}", base::printable(text, 40), name,
                    fmt::join(words, ", ")),
        text::nearest(word, words).value_or(""));
  }
  to = std::move(word);
  return {};
}

// Or one of the two is unknown.
bool fits(const std::vector<std::string>& of_image, const std::string& of_device) {
  const auto wanted = base::folded(of_device);
  return wanted.empty() || of_image.empty() ||
         std::any_of(of_image.begin(), of_image.end(),
                     [&](const auto& one) { return base::folded(one) == wanted; });
}

}  // namespace

bool Facts::is_guessed(const std::string& fact) const {
  return std::find(guessed.begin(), guessed.end(), fact) != guessed.end();
}

std::string Facts::release_line() const {
  return line.empty() ? text::Version(version).line() : line;
}

const std::vector<std::string>& fact_names() {
  static const std::vector<std::string> names{"maker",   "platform", "hardware", "role",
                                              "version", "line",     "stage",    "space",
                                              "remarks", "source"};
  return names;
}

std::string fact(const Facts& facts, const std::string& name) {
  if (name == "maker") return facts.maker;
  if (name == "platform") return fmt::format("{}", fmt::join(facts.platforms, ", "));
  if (name == "hardware") return fmt::format("{}", fmt::join(facts.hardware, ", "));
  if (name == "role") return facts.role;
  if (name == "version") return facts.version;
  if (name == "line") return facts.line;
  if (name == "stage") return facts.stage;
  if (name == "space") return facts.space ? std::to_string(*facts.space) : "";
  if (name == "remarks") return facts.remarks;
  return facts.source;
}

base::Outcome<void> set_fact(Facts& facts, const std::string& name,
                             const std::string& given) {
  std::erase(facts.guessed, name);
  const auto text = std::string(base::trimmed(given));
  const auto longest = name == "remarks" ? kLongestRemarks : kLongestFact;
  if (text.size() > longest) {
    return base::refuse(Kind::kInvalid, fmt::format("{}: at most {} bytes, these are {}",
                                                    name, longest, text.size()));
  }
  if (name == "maker") {
    facts.maker = text;
  } else if (name == "platform" || name == "hardware") {
    auto items = list_of(text);
    if (items.size() > kMostInList) {
      return base::refuse(Kind::kInvalid, fmt::format("{}: at most {}, these are {}",
                                                      name, kMostInList, items.size()));
    }
    (name == "platform" ? facts.platforms : facts.hardware) = std::move(items);
  } else if (name == "role") {
    return set_word(facts.role, name, text, kRoles);
  } else if (name == "version") {
    facts.version = text;
  } else if (name == "line") {
    facts.line = text;
  } else if (name == "stage") {
    if (base::folded(text) == "withdrawn") {
      return base::refuse(
          Kind::kInvalid,
          "an image is withdrawn with 'vantro image withdraw', which asks "
          "for the reason that devices are told");
    }
    // Words of the previous version, in its exports and in scripts.
    static const std::map<std::string, std::string> kFormerly{
        {"early", "new"}, {"general", "proven"}, {"ending", "retiring"}};
    const auto old = kFormerly.find(base::folded(text));
    return set_word(facts.stage, name, old == kFormerly.end() ? text : old->second,
                    kStages);
  } else if (name == "space") {
    const auto bytes = base::parse_size(text);
    if (!text.empty() && !bytes) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("space: '{}' is not a size, such as 812000000 or "
                                      "'800 MiB'",
                                      base::printable(text, 40)));
    }
    facts.space = bytes;
  } else if (name == "remarks") {
    facts.remarks = text;
  } else if (name == "source") {
    facts.source = text;
  } else {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' is not a fact of an image; there are {}",
                    base::printable(name, 40), fmt::join(fact_names(), ", ")),
        text::nearest(name, fact_names()).value_or(""));
  }
  return {};
}

std::string other_platform(const std::vector<std::string>& of_image,
                           const std::string& of_device) {
  if (fits(of_image, of_device)) return "";
  return fmt::format("it is for {}, and the device is a {}", fmt::join(of_image, ", "),
                     of_device);
}

std::string other_hardware(const std::vector<std::string>& of_image,
                           const std::string& of_device) {
  if (fits(of_image, of_device)) return "";
  return fmt::format("it is for hardware {}, and the device is {}",
                     fmt::join(of_image, ", "), of_device);
}

std::vector<Suggestion> suggestions(const std::vector<text::Recogniser>& recognisers,
                                    const std::string& file_name) {
  std::vector<Suggestion> result;
  for (const auto& recogniser : recognisers) {
    for (const auto& told : recogniser.recognise(file_name)) {
      const auto& name = told.first;
      const auto& text = told.second;
      const bool known = std::any_of(result.begin(), result.end(),
                                     [&](const auto& s) { return s.fact == name; });
      Facts trial;
      if (known || !set_fact(trial, name, text)) continue;
      result.push_back(
          {name, text, fmt::format("name, by recogniser '{}'", recogniser.name())});
    }
  }
  for (auto& guess : guesses(file_name)) {
    const bool known = std::any_of(result.begin(), result.end(), [&](const auto& one) {
      return one.fact == guess.fact;
    });
    if (!known) result.push_back(std::move(guess));
  }
  return result;
}

std::string line_key(const Facts& facts) {
  const auto line = facts.release_line();
  const text::Version version(line);
  return version.sort_key().empty() ? base::folded(line) : version.sort_key();
}

}  // namespace vantro::catalog
