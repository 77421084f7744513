// What callers will stumble over in the certificates that were given.
#pragma once

#include <map>
#include <string>
#include <utility>
#include <vector>

#include "base/clock.h"

namespace vantro::daemon {

struct Settings;

// Of a certificate (PEM file) that is used for `what` ("HTTPS"): that it has expired, is
// not valid yet, expires within two weeks, or is not for one of the names. In sentences;
// empty: nothing is wrong with it.
std::vector<std::string> certificate_trouble(const std::string& what,
                                             const std::string& file,
                                             const std::vector<std::string>& names,
                                             base::WallTime now);

// A certificate that is used, with what for ("HTTPS").
struct UsedCertificate {
  std::string what;
  std::string file;
  std::vector<std::string> names;  // that it must be for
};
// Those that the settings give for HTTPS, FTP and the management API.
std::vector<UsedCertificate> used_certificates(const Settings& settings);

// Until when each of them is good.
std::vector<std::pair<std::string, base::WallTime>> certificate_ends(
    const Settings& settings);
// Of those that have expired, or expire within two weeks, a sentence, by what they are
// for.
std::map<std::string, std::string> certificates_expiring(const Settings& settings,
                                                         base::WallTime now);

// Of those that the settings give for HTTPS, FTP and the management API.
std::vector<std::string> certificates_trouble(const Settings& settings,
                                              base::WallTime now);

}  // namespace vantro::daemon
