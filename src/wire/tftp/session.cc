#include "wire/tftp/session.h"

#include <fmt/format.h>

namespace vantro::wire::tftp {

std::string never_answered(int packets) {
  return fmt::format(
      "answered {} times without a reply: look for a firewall or a wrong route between "
      "the server and the device",
      packets);
}

}  // namespace vantro::wire::tftp
