// Passwords that another system checks, through PAM (Linux-PAM; pam(3)): the way to
// companies' directory services.
#pragma once

#include <string>

#include "base/outcome.h"

namespace vantro::manage {

// Whether the service accepts name and password, and lets them in now. `service`: a name
// in /etc/pam.d, or the path of such a file. `from`: the host for the modules. May take
// as long as the modules do. kAccountNeeded: wrong; kDenied: right, but the account is
// closed or its password has expired, and the sentence says so; kIo: the service cannot
// be used.
base::Outcome<void> pam_check(const std::string& service, const std::string& name,
                              const std::string& password, const std::string& from);

}  // namespace vantro::manage
