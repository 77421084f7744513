// Problems that callers will have with the configured certificates.
#pragma once

#include <map>
#include <string>
#include <utility>
#include <vector>

#include "base/clock.h"

namespace vantro::daemon {

struct Settings;

// Of a certificate (PEM file) for `what` ("HTTPS"): it has expired, is not valid yet,
// expires within two weeks, or is not for one of the names. In sentences; empty: no
// problem.
std::vector<std::string> certificate_trouble(const std::string& what,
                                             const std::string& file,
                                             const std::vector<std::string>& names,
                                             base::WallTime now);

// A certificate in use, and its purpose ("HTTPS").
struct UsedCertificate {
  std::string what;
  std::string file;
  std::vector<std::string> names;  // the names that it must cover
};
// Those in the settings for HTTPS, FTP and the management API.
std::vector<UsedCertificate> used_certificates(const Settings& settings);

// The end of validity of each.
std::vector<std::pair<std::string, base::WallTime>> certificate_ends(
    const Settings& settings);
// For each that has expired, or expires within two weeks, a sentence, by purpose.
std::map<std::string, std::string> certificates_expiring(const Settings& settings,
                                                         base::WallTime now);

// Those in the settings for HTTPS, FTP and the management API.
std::vector<std::string> certificates_trouble(const Settings& settings,
                                              base::WallTime now);

}  // namespace vantro::daemon
