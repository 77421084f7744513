// The explanations of "vantro help TOPIC", beside the commands.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace vantro::client {

struct Topic {
  std::string_view name;
  std::string_view about;
  std::string_view text;
};
const std::vector<Topic>& topics();
// Null: there is no such topic.
const Topic* topic(std::string_view name);
// Lines for the end of "vantro help".
std::string topics_list();

}  // namespace vantro::client
