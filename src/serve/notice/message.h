// A notice on its way to a receiver, in its forms: CloudEvents 1.0 (structured, JSON), a
// line of syslog (RFC 5424), a mail (RFC 5322).
#pragma once

#include <string>

#include "base/clock.h"

namespace vantro::serve::notice {

struct Message {
  std::string uid;
  std::string event;    // "disk-low"
  std::string subject;  // a device, an image, a file; or empty
  bool over = false;    // else it has begun
  base::WallTime at = 0;
  std::string sentence;
  std::string host;  // of this server
};

// "disk-low has begun: 12 MiB free ..."; with the subject if there is one.
std::string one_line(const Message& message);

// https://cloudevents.io, version 1.0.2, JSON format. The type is "vantro.disk-low.begun"
// or "vantro.disk-low.over", the source "/vantro/HOST".
std::string cloud_event(const Message& message);

// Without its frame. Facility daemon; a warning when it begins, a notice when it is over.
std::string syslog_line(const Message& message);

// With its header, lines ended by CR LF.
std::string mail(const Message& message, const std::string& from, const std::string& to);

}  // namespace vantro::serve::notice
