#include "daemon/management.h"

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fmt/format.h>
#include <grp.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/clock.h"
#include "base/unique_fd.h"
#include "base/whole_file.h"
#include "crypto/certificate.h"
#include "daemon/configs.h"
#include "daemon/node_name.h"
#include "daemon/port_holder.h"
#include "net/tcp_server.h"

namespace vantro::daemon {
namespace {

using base::Kind;

constexpr const char* kUsualGroup = "vantro";

// Whether the group exists, and this user may give files to it.
bool may_give_to(const char* name) {
  const auto* group = ::getgrnam(name);
  if (group == nullptr) return false;
  if (::geteuid() == 0 || ::getegid() == group->gr_gid) return true;
  std::vector<gid_t> groups(static_cast<std::size_t>(::getgroups(0, nullptr)));
  const auto count = ::getgroups(static_cast<int>(groups.size()), groups.data());
  return std::find(groups.begin(), groups.begin() + std::max(0, count), group->gr_gid) !=
         groups.begin() + std::max(0, count);
}

std::string own_name() {
  std::string name(256, '\0');
  if (::gethostname(name.data(), name.size() - 1) != 0) return "vantro";
  name.resize(name.find('\0'));
  return name.empty() ? "vantro" : name;
}

}  // namespace

base::Outcome<std::unique_ptr<Management>> Management::prepare(const Settings& settings,
                                                               const base::Log& log) {
  std::unique_ptr<Management> made(new Management(settings, log));
  if (auto opened = made->open_socket(); !opened) return base::refuse(opened.error());
  if (!settings.management.tls_listen.empty()) {
    if (auto loaded = made->load_certificate(); !loaded) {
      return base::refuse(loaded.error());
    }
  }
  return made;
}

base::Outcome<void> Management::open_socket() {
  const auto& wanted = settings_.management.socket;
  if (wanted == "none") return {};
  auto group = settings_.management.socket_group;
  if (group == "none" || (group == "auto" && !may_give_to(kUsualGroup))) group.clear();
  if (group == "auto") group = kUsualGroup;
  if (wanted != "auto") {
    auto opened = LocalSocket::open(wanted, group);
    if (!opened) return base::refuse(opened.error());
    socket_.emplace(std::move(*opened));
    return {};
  }
  std::string why;
  for (const auto& path : usual_socket_paths(own_state(settings_))) {
    auto opened = LocalSocket::open(path, group);
    if (opened) {
      socket_.emplace(std::move(*opened));
      return {};
    }
    // A group that cannot be used is the same at each address.
    if (why.empty() || !group.empty()) why = opened.error().sentence;
  }
  not_there_.push_back("no local socket: " + why);
  log_.warning(not_there_.back());
  return {};
}

base::Outcome<void> Management::load_certificate() {
  const auto& management = settings_.management;
  auto certificate = management.certificate;
  auto key = management.key.empty() ? certificate : management.key;
  if (certificate.empty()) {
    const auto folder = own_state(settings_) + "/management";
    certificate = folder + "/certificate.pem";
    key = folder + "/key.pem";
    if (::access(certificate.c_str(), F_OK) != 0) {
      auto names = management.names;
      names.push_back(own_name());
      const auto made =
          crypto::make_certificate(names, own_addresses(), base::SystemClock{}.wall());
      if (!made) return base::refuse(made.error());
      if (::mkdir(folder.c_str(), 0700) != 0 && errno != EEXIST) {
        return base::refuse(base::system_refusal(errno, folder));
      }
      if (auto done = base::write_whole_file(key, made->key); !done) return done;
      if (auto done = base::write_whole_file(certificate, made->certificate); !done)
        return done;
      log_.info("a certificate for the management API was made", {{"file", certificate}});
    }
  }
  auto loaded = crypto::TlsServer::load(certificate, key);
  if (!loaded) return base::refuse(loaded.error());
  tls_ = std::move(*loaded);
  return {};
}

FrontEntry Management::listen(const net::Services& services, const manage::Pools& pools,
                              manage::Service& service) {
  auto config = management_tcp_config(settings_);
  config.tls = tls_;
  if (socket_) config.local = std::make_shared<base::UniqueFd>(socket_->take());
  while (true) {
    auto front = std::make_unique<net::TcpServer>(
        services, config, manage::protocol(services, pools, service));
    const auto bound = front->bind();
    if (bound) {
      listening_ = front->listening();
      return {"Management", Transport::kTcp, "--management-listen", false,
              std::move(front)};
    }
    // Without the one that failed.
    const auto where = bound.error().where;
    if (config.local && where == base::Endpoint{}) {
      not_there_.push_back(fmt::format("{}: {}", socket_->path(),
                                       std::strerror(bound.error().error_number)));
      config.local.reset();
      continue;
    }
    auto sentence = bind_sentence("Management", Transport::kTcp, where,
                                  bound.error().error_number, "--management-listen");
    log_.error(sentence);
    incomplete_ = true;
    not_there_.push_back(std::move(sentence));
    std::erase(config.listen, where);
    std::erase(config.listen_tls, where);
  }
}

std::vector<api::Listener> Management::listeners() const {
  std::vector<api::Listener> all;
  for (const auto& one : listening_) {
    const bool tls = one.protocol == "management-tls";
    all.push_back({"management", (tls ? "https://" : "http://") + one.where.text(), tls,
                   tls ? tls_->fingerprint() : ""});
  }
  if (socket_) all.push_back({"management", socket_->path(), true});
  return all;
}

std::vector<std::string> Management::trouble() const { return not_there_; }

}  // namespace vantro::daemon
