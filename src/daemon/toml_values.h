// Reads values of a settings file, with refusals for people.
#pragma once

#include <functional>
#include <map>
#include <string>
#include <toml++/toml.h>

#include "base/outcome.h"

namespace vantro::daemon {

tl::unexpected<base::Refusal> no_value(std::string why);

base::Outcome<std::string> text_of(const toml::node& node);

// A table of texts by name. `example` is for the refusal.
base::Outcome<std::map<std::string, std::string>> named_texts(const toml::node& node,
                                                              const char* example);

// Each table of a list that is written as `form` ("[[rule]]"), in its order, until one is
// refused.
base::Outcome<void> each_table(
    const toml::node& node, const char* form,
    const std::function<base::Outcome<void>(const toml::table&)>& take);

// The texts of a table whose keys are all among `known`; `what` is its name in refusals.
base::Outcome<std::map<std::string, std::string>> texts_of_table(
    const toml::table& table, const std::vector<std::string>& known, const char* what);

}  // namespace vantro::daemon
