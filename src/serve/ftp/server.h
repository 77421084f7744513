// FTP for devices (RFC 959 and its extensions), in the clear and under TLS.
#pragma once

#include <memory>
#include <optional>
#include <string>

#include "auth/account.h"
#include "base/address.h"
#include "base/clock.h"
#include "serve/ftp/data_way.h"
#include "serve/shared.h"

namespace vantro::serve::ftp {

struct Config {
  base::Duration log_in_patience = std::chrono::seconds(60);
  base::Duration idle_patience = std::chrono::seconds(300);
  base::Duration come_patience = std::chrono::seconds(20);   // for a data connection
  base::Duration stall_patience = std::chrono::seconds(60);  // without progress
  std::optional<Ports> data_ports;                           // nothing: any
  std::optional<base::Address> announced_address;            // for PASV; IPv4
  // Clients there may end an upload under TLS without close_notify; none: nobody may.
  std::optional<auth::Networks> cut_ends_from;
  // Under TLS a data connection must resume the control connection's session.
  bool same_session = false;
  bool understands_tls = false;  // there is a certificate for AUTH TLS
  std::string version;
};

// For a TcpServer; its certificate is for AUTH TLS.
net::TcpProtocol protocol(const Services& services, Config config);

}  // namespace vantro::serve::ftp
