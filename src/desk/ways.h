// How a device reaches the server: what to type, and what would be in the way.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "base/address.h"
#include "base/protocol.h"
#include "gate/gate.h"
#include "repository/repository.h"

namespace vantro::desk {

// Facts that only the surrounding program has. The functions are thread-safe.
struct Surroundings {
  // The ports for devices.
  std::function<std::vector<base::Listening>()> listening = [] {
    return std::vector<base::Listening>();
  };
  // This machine's addresses that devices could use; and the source address for packets
  // to such an address, or nothing without a route.
  std::function<std::vector<base::Address>()> own_addresses = [] {
    return std::vector<base::Address>();
  };
  std::function<std::optional<base::Address>(const base::Address&)> address_towards =
      [](const base::Address&) { return std::optional<base::Address>(); };
};

// The server's addresses that a device could type for a listener; for all devices, if
// none is given.
std::vector<base::Address> addresses_of(const Surroundings& surroundings,
                                        const base::Endpoint& where,
                                        const std::optional<base::Address>& device);

// "ftp://pump-crew@192.0.2.10:2121/causeway4.img"
std::string pasted(const std::string& protocol, const std::string& user,
                   const base::Endpoint& server, const std::string& name);

// The account's spelling; nothing for an empty text. kNotFound: there is none.
base::Outcome<std::string> known_account(const repository::Repository& repository,
                                         const std::string& typed);

// What a device types if it is asked for an account; empty: it is not asked.
std::string account_to_type(const std::string& protocol, const std::string& account);

// Why the device does not get it this way; empty if it does.
std::string hindrance(const gate::Gate& gate, const std::string& name,
                      const gate::Asker& asker);

}  // namespace vantro::desk
