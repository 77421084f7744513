#include "serve/ssh/server.h"

#include <algorithm>
#include <iterator>
#include <libssh/callbacks.h>

#include "serve/ssh/connection.h"

namespace vantro::serve::ssh {

Server::Server(std::string key_folder, Config config, base::Log log)
    : key_folder_(std::move(key_folder)),
      config_(std::move(config)),
      log_(std::move(log)),
      bind_(ssh_bind_new()) {
  bool process_config = false;
  ssh_bind_options_set(bind_.get(), SSH_BIND_OPTIONS_PROCESS_CONFIG, &process_config);
  ssh_bind_options_set(bind_.get(), SSH_BIND_OPTIONS_BANNER, "vantrod");
  int least_rsa_bits = 2048;
  ssh_bind_options_set(bind_.get(), SSH_BIND_OPTIONS_RSA_MIN_SIZE, &least_rsa_bits);
}

Server::~Server() {
  if (maker_.joinable()) maker_.join();
}

void Server::take(std::vector<HostKey> keys) {
  const base::Lock lock(mutex_);
  for (auto& one : keys) {
    shown_.push_back({one.type, one.fingerprint});
    // The bind takes ownership.
    ssh_bind_options_set(bind_.get(), SSH_BIND_OPTIONS_IMPORT_KEY, one.key.release());
  }
  ready_ = true;
  keys_there_.notify_all();
}

void Server::make_keys() {
  auto keys = ssh::host_keys(key_folder_, log_);
  if (keys) {
    take(std::move(*keys));
    for (const auto& one : host_keys()) {
      log_.info("an SSH host key was made", {{"type", one.type},
                                             {"fingerprint", one.fingerprint},
                                             {"folder", key_folder_}});
    }
    return;
  }
  log_.error("the SSH host keys can't be made", {{"why", keys.error().sentence}});
  const base::Lock lock(mutex_);
  trouble_ = "SSH does not answer: " + keys.error().sentence;
  keys_there_.notify_all();
}

base::Outcome<std::shared_ptr<Server>> Server::create(std::string key_folder,
                                                      Config config, base::Log log) {
  if (ssh_init() != SSH_OK) {
    return base::refuse(base::Kind::kIo, "libssh can't be used here");
  }
  return std::shared_ptr<Server>(
      new Server(std::move(key_folder), std::move(config), std::move(log)));
}

base::Outcome<void> Server::need_keys() {
  {
    const base::Lock lock(mutex_);
    if (ready_ || (maker_.joinable() && trouble_.empty())) return {};
    trouble_.clear();
  }
  if (maker_.joinable()) maker_.join();
  if (host_keys_are_missing(key_folder_)) {
    maker_ = std::thread([this] { make_keys(); });
    return {};
  }
  auto keys = ssh::host_keys(key_folder_, log_);
  if (!keys) return base::refuse(keys.error());
  take(std::move(*keys));
  return {};
}

net::TcpProtocol Server::protocol(const Services& services) {
  auto ssh = device_protocol(services.gate, "sftp");
  ssh.also = {"scp"};
  ssh.name_with_tls = "sftp";
  // Lines before the version are for people (RFC 4253, 4.2).
  ssh.no_room = "Too many connections at once; try again soon\r\n";
  ssh.welcome = [self = shared_from_this(), shared = std::make_shared<Shared>(services)](
                    net::TcpLane& lane, net::Accepted accepted) {
    auto made = std::make_shared<Connection>(lane, *shared, *self, std::move(accepted));
    {
      const base::Lock lock(self->mutex_);
      self->waiting_.emplace(made.get(), made);
    }
    self->drop_early();
    return made;
  };
  ssh.make_room = [self = shared_from_this()] { return self->end_one_that_waits(); };
  return ssh;
}

void Server::no_longer_waits(const Connection* connection) {
  const base::Lock lock(mutex_);
  waiting_.erase(connection);
}

bool Server::end_one_that_waits() {
  std::shared_ptr<Connection> chosen;
  {
    const base::Lock lock(mutex_);
    if (waiting_.empty()) return false;
    const auto one = std::next(waiting_.begin(),
                               static_cast<std::ptrdiff_t>(random_() % waiting_.size()));
    chosen = one->second.lock();
    waiting_.erase(one);
  }
  if (chosen) chosen->make_way();
  return chosen != nullptr;
}

void Server::drop_early() {
  {
    const base::Lock lock(mutex_);
    if (waiting_.size() <= config_.few_waiting) return;
    const auto over = waiting_.size() - config_.few_waiting;
    const auto span =
        std::max<std::size_t>(1, config_.most_waiting - config_.few_waiting);
    if (over < span && random_() % span >= over) return;
  }
  end_one_that_waits();
}

std::vector<Server::ShownKey> Server::host_keys() const {
  const base::Lock lock(mutex_);
  return shown_;
}

std::string Server::trouble() const {
  const base::Lock lock(mutex_);
  return trouble_;
}

std::set<std::string> Server::older_for(const base::Address& address) const {
  std::set<std::string> names;
  for (const auto& one : config_.older) {
    if (!one.networks.contains(address)) continue;
    names.insert(one.algorithms.begin(), one.algorithms.end());
  }
  return names;
}

bool Server::accept(ssh_session session, base::UniqueFd socket,
                    const std::set<std::string>& older) {
  const auto lists = offered(older);
  const std::pair<ssh_options_e, const char*> options[] = {
      {SSH_OPTIONS_KEY_EXCHANGE, lists.key_exchange.c_str()},
      {SSH_OPTIONS_CIPHERS_C_S, lists.ciphers.c_str()},
      {SSH_OPTIONS_CIPHERS_S_C, lists.ciphers.c_str()},
      {SSH_OPTIONS_HMAC_C_S, lists.macs.c_str()},
      {SSH_OPTIONS_HMAC_S_C, lists.macs.c_str()},
      {SSH_OPTIONS_HOSTKEYS, lists.host_keys.c_str()},
      {SSH_OPTIONS_PUBLICKEY_ACCEPTED_TYPES, lists.public_keys.c_str()},
      // Images are compressed already, and decompression can be a trap.
      {SSH_OPTIONS_COMPRESSION_C_S, "none"},
      {SSH_OPTIONS_COMPRESSION_S_C, "none"},
  };
  for (const auto& [option, value] : options) {
    if (ssh_options_set(session, option, value) != SSH_OK) return false;
  }
  base::Lock lock(mutex_);
  const auto until = std::chrono::steady_clock::now() + config_.log_in_patience;
  while (!ready_ && trouble_.empty() && keys_there_.wait_until(lock, until)) {
  }
  if (!ready_) return false;
  // The session closes it from here on.
  return ssh_bind_accept_fd(bind_.get(), session, socket.release()) == SSH_OK;
}

void Server::met_older(OlderSession session) {
  const base::Lock lock(mutex_);
  ++older_sessions_;
  last_older_ = std::move(session);
}

std::uint64_t Server::older_sessions() const {
  const base::Lock lock(mutex_);
  return older_sessions_;
}

std::optional<OlderSession> Server::last_older() const {
  const base::Lock lock(mutex_);
  return last_older_;
}

}  // namespace vantro::serve::ssh
