// The settings in the form that each part needs.
#pragma once

#include <memory>

#include "api/overview.h"
#include "crypto/tls.h"
#include "daemon/settings.h"
#include "gate/gate.h"
#include "manage/door.h"
#include "net/tcp_shared.h"
#include "repository/repository.h"
#include "serve/ftp/server.h"
#include "serve/http/server.h"
#include "serve/ssh/server.h"
#include "serve/tftp/server.h"

namespace vantro::daemon {

repository::Rules repository_rules(const Settings& settings);
// `look_program`: what looks into files (LookProgram::path).
gate::Config gate_config(const Settings& settings, const std::string& look_program);

serve::tftp::Config tftp_config(const Settings& settings);

// `tls` is null if there is none.
net::TcpConfig http_tcp_config(const Settings& settings,
                               std::shared_ptr<crypto::TlsServer> tls);
net::http::Patience http_patience(const Settings& settings);

net::TcpConfig ftp_tcp_config(const Settings& settings,
                              std::shared_ptr<crypto::TlsServer> tls);
// `tls`: there is a certificate for it.
serve::ftp::Config ftp_config(const Settings& settings, const char* version, bool tls);

// For people and programs that manage the server, whatever devices do.
inline constexpr std::size_t kMostManagementConnections = 128;
net::TcpConfig management_tcp_config(const Settings& settings);
// As the management API reports them: reloadable ones as they are `now`, the others as
// they were `at_start`. `file`: their source, or empty.
api::SettingList in_force(const std::string& file, const Settings& at_start,
                          const Settings& now);
manage::DoorConfig door_config(const Settings& settings);

net::TcpConfig ssh_tcp_config(const Settings& settings);
serve::ssh::Config ssh_config(const Settings& settings, const char* version);

}  // namespace vantro::daemon
