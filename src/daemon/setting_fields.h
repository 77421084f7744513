// How a setting is read and shown: the vocabulary of fields() in settings.cc.
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <toml++/toml.h>
#include <vector>

#include "base/address.h"
#include "base/outcome.h"
#include "daemon/settings.h"

namespace vantro::daemon {

// Of one Settings, which must outlive it.
struct Field {
  SettingAbout about;         // without its value
  std::string formerly = {};  // its key in the previous version; empty: it had none
  // Refused with the allowed values.
  std::function<base::Outcome<void>(const toml::node&)> set;
  // As in the file; empty: it is not set.
  std::function<std::string()> text;
};

class Fields {
 public:
  struct Range {
    std::int64_t least, most;
  };

  // Fields are named "section.name" from here on; "": "name".
  void section(std::string name) { section_ = std::move(name); }

  // Not empty if it is set; an empty default is not set.
  Fields& text(const char* name, std::string& value, const char* meaning);
  Fields& yes_or_no(const char* name, bool& value, const char* meaning);
  Fields& number(const char* name, std::int64_t& value, Range range, const char* unit,
                 const char* meaning);
  // In bytes. `most`: 0 is no limit. `none`: "none" is 0.
  Fields& size(const char* name, std::uint64_t& value, const char* meaning,
               std::uint64_t most = 0);
  Fields& size_or_none(const char* name, std::uint64_t& value, const char* meaning);
  // What a protocol listens on: one address or a list. `refused`: why one of them is not
  // allowed; empty: it is.
  Fields& listens(const char* name, std::vector<base::Endpoint>& value,
                  std::uint16_t usual_port, bool may_be_none, const char* meaning,
                  std::string (*refused)(const base::Endpoint&) = nullptr);
  template <class Choice>
  Fields& choice(const char* name, Choice& value, std::map<std::string, Choice> choices,
                 const char* meaning) {
    std::map<std::string, std::function<void()>> setters;
    for (const auto& [word, one] : choices) {
      setters.emplace(word, [&value, one = one] { value = one; });
    }
    return choice(
        name, std::move(setters),
        [&value, choices] {
          for (const auto& [word, one] : choices) {
            if (one == value) return word;
          }
          return std::string();
        },
        meaning);
  }
  // Any other value. `allowed` is for people.
  Fields& other(const char* name, const char* allowed, const char* meaning,
                std::function<base::Outcome<void>(const toml::node&)> set,
                std::function<std::string()> text);

  // The field declared last takes effect without a restart: its users ask for the value
  // each time (daemon/reload).
  Fields& reloadable() {
    all_.back().about.reloadable = true;
    return *this;
  }

  // The key of the field declared last in the previous version, which is still read.
  Fields& formerly(const char* name);

  const std::vector<Field>& all() const { return all_; }
  // Null: there is none.
  const Field* find(const std::string& key) const;

 private:
  Fields& choice(const char* name, std::map<std::string, std::function<void()>> setters,
                 std::function<std::string()> text, const char* meaning);

  std::string section_;
  std::vector<Field> all_;
};

// A text in quotes, as in the file.
std::string quoted(const std::string& text);
// A list of texts, or one text. `example` is for the refusal.
base::Outcome<std::vector<std::string>> list_of_texts(const toml::node& node,
                                                      const std::string& example);

}  // namespace vantro::daemon
