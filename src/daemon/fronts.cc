#include "daemon/fronts.h"

#include "base/protocol.h"
#include "daemon/configs.h"
#include "net/tcp_server.h"
#include "serve/ftp/server.h"
#include "serve/http/server.h"
#include "serve/tftp/server.h"

namespace vantro::daemon {

std::vector<FrontEntry> make_fronts(const Options& options, const char* version,
                                    const serve::Services& services,
                                    const std::shared_ptr<serve::ssh::Server>& ssh) {
  const auto& settings = options.settings;
  const auto over_tcp = [&](net::TcpConfig config, net::TcpProtocol protocol) {
    return std::make_unique<net::TcpServer>(services, std::move(config),
                                            std::move(protocol));
  };
  const auto terms_of = [](std::vector<base::Endpoint> listen,
                           std::vector<base::Endpoint> listen_tls, const Settings& all) {
    return net::FrontTerms{std::move(listen), std::move(listen_tls),
                           static_cast<std::size_t>(all.limits.connections_per_device)};
  };
  const bool has_tls = options.tls != nullptr;
  std::vector<FrontEntry> fronts;
  if (!options.rescue.interface.empty()) return fronts;
  fronts.push_back({"TFTP", Transport::kUdp, "--tftp-listen", false,
                    std::make_unique<serve::tftp::Server>(
                        serve::tftp::Pools{services.disk, services.filing}, services.gate,
                        services.clock, services.log, tftp_config(settings)),
                    [](const Settings& all) {
                      return net::FrontTerms{all.tftp.listen, {}, 0};
                    }});
  fronts.push_back(
      {"FTP", Transport::kTcp, "--ftp-listen", true,
       over_tcp(ftp_tcp_config(settings, options.ftp_tls),
                serve::ftp::protocol(
                    services, ftp_config(settings, version, options.ftp_tls != nullptr))),
       [terms_of](const Settings& all) { return terms_of(all.ftp.listen, {}, all); }});
  fronts.push_back(
      {"HTTP", Transport::kTcp, "--http-listen", true,
       over_tcp(http_tcp_config(settings, options.tls),
                serve::http::protocol(services, http_patience(settings))),
       [terms_of, has_tls](const Settings& all) {
         return terms_of(all.http.listen,
                         has_tls ? all.https.listen : std::vector<base::Endpoint>(), all);
       }});
  fronts.push_back({"SSH", Transport::kTcp, "--ssh-listen", true,
                    over_tcp(ssh_tcp_config(settings), ssh->protocol(services)),
                    [](const Settings& all) {
                      return net::FrontTerms{
                          all.ssh.listen,
                          {},
                          static_cast<std::size_t>(all.ssh.connections_per_device)};
                    },
                    [ssh] { return ssh->need_keys(); }});
  return fronts;
}

std::vector<std::pair<Transport, base::Endpoint>> all_listeners(
    const Settings& settings) {
  std::vector<std::pair<Transport, base::Endpoint>> all;
  for (const auto& one : settings.tftp.listen) all.emplace_back(Transport::kUdp, one);
  for (const auto* list :
       {&settings.ftp.listen, &settings.http.listen, &settings.https.listen,
        &settings.ssh.listen, &settings.management.listen,
        &settings.management.tls_listen}) {
    for (const auto& one : *list) all.emplace_back(Transport::kTcp, one);
  }
  return all;
}

base::Outcome<void> bind(const std::vector<FrontEntry>& fronts,
                         const Settings& settings) {
  for (const auto& one : fronts) {
    if (one.prepare && !one.terms(settings).nowhere()) {
      if (auto ready = one.prepare(); !ready) return ready;
    }
    const auto bound = one.front->bind();
    if (bound) continue;
    auto sentence = bind_sentence(one.title, one.transport, bound.error().where,
                                  bound.error().error_number, one.flag);
    if (one.optional) sentence += "; '" + one.flag + " none' does without";
    return base::refuse(base::Kind::kIo, std::move(sentence));
  }
  return {};
}

std::vector<base::Listening> listening(const std::vector<FrontEntry>& fronts) {
  std::vector<base::Listening> sorted;
  for (const auto& protocol : base::protocols()) {
    for (const auto& one : fronts) {
      for (auto& where : one.front->listening()) {
        if (where.protocol == protocol.name) sorted.push_back(std::move(where));
      }
    }
  }
  return sorted;
}

}  // namespace vantro::daemon
