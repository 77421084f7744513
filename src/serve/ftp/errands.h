// Questions of an FTP session to the gate, and answers in the session's words. May wait
// for the disk: for a disk pool. Refusals are recorded when the client gets them.
#pragma once

#include <string>

#include "base/clock.h"
#include "base/outcome.h"
#include "gate/gate.h"
#include "serve/ftp/data_connection.h"
#include "wire/ftp/session.h"

namespace vantro::serve::ftp {

// A path of the session as a name for the gate: without its first slash.
inline std::string without_slash(const std::string& path) { return path.substr(1); }

// Whether anything is open to the asker without an account.
base::Outcome<std::string> without_account(gate::Gate& gate, const gate::Asker& asker);

base::Outcome<wire::ftp::Seen> look(gate::Gate& gate, const gate::Asker& asker,
                                    const wire::ftp::Look& look);

struct Opening {
  Cargo cargo;
  std::string sentence;  // for 150
};
base::Outcome<Opening> open(gate::Gate& gate, const gate::Asker& asker,
                            const wire::ftp::Open& open);

}  // namespace vantro::serve::ftp
