// The commands about the inventory.
#pragma once

#include <map>
#include <string>

#include "client/answers.h"

namespace vantro::client {

// What is given; an empty text takes a field's value away.
using DeviceFields = std::map<std::string, std::string>;

Done add_device(const Context& context, const std::string& name,
                const DeviceFields& fields);
Done list_devices(const Context& context);
Done show_device(const Context& context, const std::string& name);
Done edit_device(const Context& context, const std::string& name,
                 const DeviceFields& fields);
Done remove_device(const Context& context, const std::string& name);
Done claim_address(const Context& context, const std::string& address,
                   const std::string& name);
// A CSV file, or "-" for standard input.
Done import_devices(const Context& context, const std::string& file, bool dry_run);
Done list_sites(const Context& context);
Done edit_site(const Context& context, const std::string& site,
               const std::string& backup_every);

}  // namespace vantro::client
