// Passwords that another system looks at, through PAM (Linux-PAM; pam(3)): the way to the
// directory services that companies have.
#pragma once

#include <string>

#include "base/outcome.h"

namespace vantro::manage {

// Whether the service takes name and password, and lets them in now. `service`: a name in
// /etc/pam.d, or the path of such a file. `from`: told to the modules as the host. May
// take as long as the modules do. kAccountNeeded: wrong; kDenied: right, but the account
// is closed or its password has ended, and the sentence tells; kIo: the service can't be
// used.
base::Outcome<void> pam_check(const std::string& service, const std::string& name,
                              const std::string& password, const std::string& from);

}  // namespace vantro::manage
