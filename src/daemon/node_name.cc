#include "daemon/node_name.h"

#include <algorithm>
#include <array>
#include <string_view>
#include <unistd.h>

#include "daemon/toml_values.h"
#include "store/state_folder.h"

namespace vantro::daemon {
namespace {

constexpr std::size_t kLongest = 40;
constexpr std::string_view kAllowed =
    "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_";

bool is_name(std::string_view text) {
  return !text.empty() && text.size() <= kLongest &&
         text.find_first_not_of(kAllowed) == std::string_view::npos;
}

}  // namespace

base::Outcome<void> apply_node_name(std::string& name, const toml::node& node) {
  auto value = text_of(node);
  if (!value) return base::refuse(value.error());
  if (!value->empty() && !is_name(*value)) {
    return base::refuse(
        base::Kind::kInvalid,
        "must be up to 40 letters, digits, - and _, as it becomes the name of a folder");
  }
  name = std::move(*value);
  return {};
}

std::string host_name() {
  std::array<char, 256> name{};
  if (::gethostname(name.data(), name.size() - 1) != 0) return "unknown";
  return name.data();
}

std::string node_of(const Settings& settings) {
  if (settings.database.url.empty()) return "";
  if (!settings.this_node.name.empty()) return settings.this_node.name;
  auto name = host_name();
  name.resize(std::min({name.find('.'), name.size(), kLongest}));
  return is_name(name) ? name : "node";
}

std::string own_state(const Settings& settings) {
  return store::StateFolder::own_of(settings.state, node_of(settings));
}

}  // namespace vantro::daemon
