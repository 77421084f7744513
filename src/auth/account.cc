#include "auth/account.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>

#include "base/visible_name.h"

namespace vantro::auth {
namespace {

using base::Kind;

constexpr std::array kActions{Action::kFetch, Action::kDeposit, Action::kList,
                              Action::kReadBack, Action::kHandIn};
constexpr std::size_t kLongestName = 64;
constexpr std::size_t kShortestPassword = 8;
constexpr std::size_t kLongestPassword = 128;

// RFC 1918, RFC 3927 and RFC 4193, 4291: addresses that no outsider can have.
constexpr std::array kPrivate{"10.0.0.0/8",     "172.16.0.0/12", "192.168.0.0/16",
                              "169.254.0.0/16", "fc00::/7",      "fe80::/10"};
constexpr std::array kLoopback{"127.0.0.0/8", "::1"};

template <class F>
base::Outcome<void> for_each_word(std::string_view text, F take) {
  while (!text.empty()) {
    const auto end = std::min(text.find_first_of(", "), text.size());
    const auto one = text.substr(0, end);
    text.remove_prefix(std::min(end + 1, text.size()));
    if (one.empty()) continue;
    if (auto taken = take(one); !taken) return taken;
  }
  return {};
}

}  // namespace

const char* word(Action action) {
  switch (action) {
    case Action::kFetch:
      return "fetch";
    case Action::kDeposit:
      return "deposit";
    case Action::kList:
      return "list";
    case Action::kReadBack:
      return "read-back";
    case Action::kHandIn:
      return "hand-in";
  }
  return "";
}

const char* doing(Action action) {
  switch (action) {
    case Action::kFetch:
      return "fetching";
    case Action::kDeposit:
      return "sending a backup";
    case Action::kList:
      return "the list of what is on offer";
    case Action::kReadBack:
      return "reading a backup back";
    case Action::kHandIn:
      return "handing an image in";
  }
  return "";
}

base::Outcome<std::set<Action>> parse_actions(std::string_view text) {
  std::set<Action> actions;
  if (base::folded(text) == "none") return actions;
  auto read = for_each_word(text, [&](std::string_view one) -> base::Outcome<void> {
    const auto wanted = base::folded(one);
    for (const auto action : kActions) {
      if (wanted != word(action)) continue;
      actions.insert(action);
      return {};
    }
    return base::refuse(Kind::kInvalid,
                        fmt::format("'{}' is not a right; the rights are fetch, deposit, "
                                    "list, read-back, hand-in",
                                    base::printable(one, 40)));
  });
  if (!read) return base::refuse(read.error());
  return actions;
}

std::string actions_text(const std::set<Action>& actions) {
  std::string text;
  for (const auto action : actions) {
    text += fmt::format("{}{}", text.empty() ? "" : ", ", word(action));
  }
  return text.empty() ? "none" : text;
}

base::Outcome<Networks> Networks::parse(std::string_view text) {
  Networks result;
  bool everywhere = false;
  auto read = for_each_word(text, [&](std::string_view one) -> base::Outcome<void> {
    const auto name = base::folded(one);
    if (name == "everywhere") {
      everywhere = true;
      return {};
    }
    if (name == "private" || name == "loopback") {
      const auto add = [&](const char* network) {
        result.networks_.push_back(*base::Network::parse(network));
      };
      if (name == "private") std::for_each(kPrivate.begin(), kPrivate.end(), add);
      if (name == "loopback") std::for_each(kLoopback.begin(), kLoopback.end(), add);
    } else if (const auto network = base::Network::parse(one)) {
      result.networks_.push_back(*network);
    } else {
      return base::refuse(
          Kind::kInvalid,
          fmt::format(
              "'{}' is not a network such as 192.0.2.0/24 (no bits set behind the "
              "prefix), no address, and none of private, loopback, everywhere",
              base::printable(one, 60)));
    }
    result.text_ += (result.text_.empty() ? "" : ", ") + name;
    return {};
  });
  if (!read) return base::refuse(read.error());
  if (everywhere) return Networks();
  return result;
}

bool Networks::contains(const base::Address& address) const {
  if (everywhere()) return true;
  return std::any_of(networks_.begin(), networks_.end(),
                     [&](const auto& one) { return one.contains(address); });
}

base::Outcome<std::string> account_name(std::string_view typed) {
  const auto name = base::folded(typed);
  const bool sound = std::all_of(name.begin(), name.end(), [](char c) {
    return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '.' || c == '_' ||
           c == '-';
  });
  if (name.empty() || name.size() > kLongestName || !sound) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format(
            "'{}' is not a name for an account: letters, digits, '.', '_' and '-', "
            "{} at most",
            base::printable(typed, 80), kLongestName));
  }
  return name;
}

base::Outcome<void> sound_password(std::string_view password) {
  if (password.size() < kShortestPassword || password.size() > kLongestPassword) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("the password has {} bytes; it must have {} to {}", password.size(),
                    kShortestPassword, kLongestPassword));
  }
  if (std::any_of(password.begin(), password.end(), [](char c) {
        return static_cast<unsigned char>(c) < 0x20 || c == 0x7f;
      })) {
    return base::refuse(Kind::kInvalid, "the password contains a control character");
  }
  return {};
}

}  // namespace vantro::auth
