// The server's own keys: made once, at the first start, and kept. If their types change,
// clients refuse passwords, so all three stay.
#pragma once

#include <libssh/libssh.h>
#include <memory>
#include <string>
#include <vector>

#include "base/log.h"
#include "base/outcome.h"

namespace vantro::serve::ssh {

struct KeyFree {
  void operator()(ssh_key key) const { ssh_key_free(key); }
};
using Key = std::unique_ptr<ssh_key_struct, KeyFree>;

struct HostKey {
  std::string type;         // "ssh-ed25519"
  std::string fingerprint;  // "SHA256:..."
  Key key;
};

// Whether host_keys() would have to make one, which takes seconds.
bool host_keys_are_missing(const std::string& folder);

// Reads them from the folder, or makes the missing ones: ed25519, ECDSA over P-256, RSA
// of 3072 bits. Only the owner can read the files. kCorrupt: one of them is damaged.
base::Outcome<std::vector<HostKey>> host_keys(const std::string& folder,
                                              const base::Log& log);

}  // namespace vantro::serve::ssh
