#include "daemon/announcement.h"

#include <algorithm>
#include <cctype>
#include <fmt/format.h>
#include <iostream>

#include "base/clock.h"
#include "base/sizes.h"
#include "daemon/certificates.h"
#include "daemon/port_holder.h"
#include "daemon/service_manager.h"
#include "manage/console.h"

namespace vantro::daemon {
namespace {

// The address to type into a device.
std::string reachable(const base::Endpoint& where) {
  if (!where.address.is_unspecified()) return where.address.text();
  // A listener on [::] does not answer over IPv4, nor one on 0.0.0.0 over IPv6.
  for (const auto& own : own_addresses()) {
    if (own.is_v4() == where.address.is_v4() && !own.is_link_local()) return own.text();
  }
  return where.address.text();
}

std::string title(const std::string& protocol) {
  auto text = protocol;
  for (auto& c : text) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
  return text;
}

}  // namespace

std::vector<api::Front> front_states(const std::vector<FrontEntry>& fronts) {
  std::vector<api::Front> states;
  for (const auto& one : fronts) {
    const auto status = one.front->status();
    if (status.open == 0 && one.front->listening().empty()) continue;
    states.push_back(
        {one.title, status.open, status.most, status.turned_away, status.paused});
  }
  return states;
}

api::Ssh ssh_status(const serve::ssh::Server& server) {
  api::Ssh status;
  for (const auto& [type, fingerprint] : server.host_keys()) {
    status.host_keys.push_back({type, fingerprint});
  }
  for (const auto& one : server.config().older) {
    status.older.push_back(
        {one.networks.text(), fmt::format("{}", fmt::join(one.algorithms, ", "))});
  }
  status.older_sessions = server.older_sessions();
  if (const auto last = server.last_older()) {
    status.last_older = api::OlderSession{base::iso_time(last->at), last->address,
                                          last->account, last->algorithms};
  }
  return status;
}

std::string status_line(const gate::Gate& gate,
                        const repository::Repository& repository) {
  return fmt::format("{} transfers running, {} names on offer",
                     gate.transfers().running(), repository.offer_index()->size());
}

void say_waiting(const gate::Gate& gate, base::WallTime until, const base::Log& log) {
  std::vector<std::string> names;
  for (const auto& one : gate.transfers().view()) {
    if (one.state != gate::State::kRunning) continue;
    names.push_back(fmt::format("{} {} '{}' at {}{}",
                                one.device.empty() ? one.peer : one.device,
                                word(one.direction), one.name, base::size_text(one.bytes),
                                one.total ? " of " + base::size_text(*one.total) : ""));
  }
  constexpr std::size_t kMostNamed = 5;
  const auto count = names.size();
  if (count > kMostNamed) names.resize(kMostNamed);
  const auto what = names.empty() ? std::string("a device may ask for its next file")
                                  : fmt::format("{}", fmt::join(names, "; "));
  log.info("waiting for transfers to end; a second signal ends them",
           {{"running", count}, {"until", base::local_time(until)}, {"what", what}});
  ServiceManager::status(
      fmt::format("stopping: waiting for {} transfers, until {} at most", count,
                  base::local_time(until)));
}

void say_where(const Options& options, const char* version,
               const repository::Repository& repository,
               const std::vector<base::Listening>& devices, const serve::ssh::Server* ssh,
               const Management& management, const base::Log& log) {
  const auto& folder = repository.folder;
  const auto& settings = options.settings;
  if (settings.log.form == LogForm::kJson) {
    for (const auto& [protocol, where] : devices) {
      log.info(title(protocol) + " listens", {{"address", where.text()}});
    }
    for (const auto& one : management.listeners()) {
      log.info("management listens", {{"address", one.address}});
    }
    log.info("ready",
             {{"state", settings.state}, {"offers", repository.offer_index()->size()}});
    return;
  }
  std::string lines = fmt::format("vantrod {}\n", version);
  lines += fmt::format("State is in {}: {} names on offer, {} free on the disk.\n",
                       folder.path(), repository.offer_index()->size(),
                       base::size_text(folder.free_bytes()));
  for (const auto& [protocol, where] : devices) {
    if (protocol == "scp") continue;  // announced with SFTP
    lines += protocol == "ftps"
                 ? fmt::format("AUTH TLS is understood on {}.\n", where.text())
             : protocol == "sftp"
                 ? fmt::format("SSH (SCP and SFTP) listens on {}.\n", where.text())
                 : fmt::format("{} listens on {}.\n", title(protocol), where.text());
  }
  if (ssh != nullptr && ssh->host_keys().empty()) {
    lines += "Making SSH host keys; 'vantro status' shows them in a moment.\n";
  }
  if (ssh != nullptr) {
    for (const auto& [type, fingerprint] : ssh->host_keys()) {
      lines += fmt::format("SSH host key {} {}\n", type, fingerprint);
    }
  }
  const auto say_certificate = [&](const std::string& of, const crypto::TlsServer& tls) {
    lines += fmt::format("{} certificate is valid until {}; SHA-256 {}.\n", of,
                         base::local_time(tls.valid_until()), tls.fingerprint());
  };
  if (options.ftp_tls == options.tls && options.tls) {
    say_certificate(settings.https.listen.empty() ? "FTP's" : "HTTPS' and FTP's",
                    *options.tls);
  } else {
    if (options.tls) say_certificate("HTTPS'", *options.tls);
    if (options.ftp_tls) say_certificate("FTP's", *options.ftp_tls);
  }
  for (const auto& one : management.listeners()) {
    lines += fmt::format("Management listens on {}.\n", one.address);
  }
  if (management.tls()) say_certificate("Management's", *management.tls());
  const auto listeners = management.listeners();
  const auto page = std::find_if(listeners.begin(), listeners.end(), [](const auto& one) {
    return one.address.starts_with("http");
  });
  if (page != listeners.end() && !manage::console_files().empty()) {
    lines += fmt::format(
        "The console is at {}/; a name for it: vantro person add NAME --role administer "
        "--password\n",
        page->address);
  }
  for (const auto& one : certificates_trouble(settings, base::SystemClock{}.wall())) {
    lines += fmt::format("TROUBLE: {}.\n", one);
  }
  if (!settings.mirror.of.empty()) {
    lines += fmt::format("This is a mirror of {}.\n", settings.mirror.of);
  }
  // A place where 'vantro' does not look by itself.
  if (management.socket().starts_with(settings.state)) {
    lines += fmt::format("On this machine: export VANTRO_URL={}\n", management.socket());
  }
  if (devices.empty()) {
    std::cout << lines << std::flush;
    return;
  }
  const auto& first = devices.front().where;
  lines += fmt::format(
      "On a device, type: protocol TFTP, server {}{}, and a name from 'vantro offer "
      "list'.\n",
      reachable(first), first.port == 69 ? "" : fmt::format(", port {}", first.port));
  if (repository.offer_index()->size() == 0) {
    lines += settings.mirror.of.empty()
                 ? "Nothing is on offer yet; add an image with 'vantro image add FILE'.\n"
                 : "Nothing is on offer yet; 'vantro mirror show' shows what is on its "
                   "way.\n";
  }
  lines += "Ready.\n";
  std::cout << lines << std::flush;
}

}  // namespace vantro::daemon
