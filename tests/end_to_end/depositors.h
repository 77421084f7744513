// Devices that deposit one file each, in this process: as many at once as there are
// threads for them. For the tests that kill the server meanwhile, and the bench. Each
// waits for the server's word that the file is kept, and believes nothing else.
#pragma once

#include <cstdint>
#include <string>

namespace vantro::end_to_end {

struct ServerPorts {
  std::uint16_t tftp = 0, ftp = 0, http = 0, ssh = 0;
  std::string account, password;  // for SCP
  std::string key;  // a file with a private key, that is shown instead of the password
};

enum class Over { kTftp, kFtp, kHttp, kScp };

// From a loopback address of its own, "127.x.y.z". True: it was acknowledged as complete.
// False: it was refused, or the server went away, or said nothing for long.
bool deposit(Over protocol, const ServerPorts& ports, const std::string& from,
             const std::string& name, const std::string& bytes);

}  // namespace vantro::end_to_end
