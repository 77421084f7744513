#include "serve/ssh/connection.h"

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <future>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <sys/socket.h>
#include <system_error>

#include "base/visible_name.h"

namespace vantro::serve::ssh {
namespace {

// Over the window that libssh opens.
constexpr std::size_t kScratch = 2 << 20;
// More than clients with several windows open; a flood of them is refused.
constexpr std::size_t kMostChannels = 10;
// Clients try one key after the other.
constexpr int kMostKeyOffers = 20;
constexpr base::Duration kTurn = std::chrono::milliseconds(100);
constexpr base::Duration kFarewell = std::chrono::milliseconds(300);
// A stopping server gives a client so long to close what it is done with: one that is
// disconnected before it has read its exit status reports a complete file as failed.
constexpr base::Duration kTakesLeave = std::chrono::seconds(2);
constexpr const char* kGone = "the client disconnected";
constexpr const char* kStopping = "the server is being stopped; try again in a minute";

// A password's packet without the name and the password: type, four lengths, the words
// "ssh-connection" and "password", and a flag (RFC 4252, sections 5 and 8).
constexpr std::size_t kPasswordPacket = 1 + 4 * 4 + 14 + 8 + 1;

// The lists in brackets of libssh's "no match for method": ours and the client's.
std::string between(std::string_view text, std::string_view begin, char end) {
  const auto at = text.find(begin);
  if (at == std::string_view::npos) return {};
  text.remove_prefix(at + begin.size());
  return std::string(text.substr(0, text.find(end)));
}

}  // namespace

Connection::Connection(net::TcpLane& lane, Shared& shared, Server& server,
                       net::Accepted accepted)
    : lane_(lane),
      server_(server),
      shared_(shared),
      socket_(std::move(accepted.socket)),
      asker_(asker_of(accepted)) {}

Connection::~Connection() {
  if (thread_.joinable()) thread_.join();
}

bool Connection::start() {
  try {
    thread_ = std::thread([this] { run(); });
  } catch (const std::system_error&) {
    return false;
  }
  return true;
}

void Connection::wind_up() {
  winding_up_ = true;
  mailbox_->wake();
}

void Connection::cut(const std::string& why) {
  {
    const base::Lock lock(mutex_);
    cut_ = why;
  }
  mailbox_->wake();
}

void Connection::make_way() {
  made_way_ = true;
  cut("too many connections, and this one had no log-in");
}

std::optional<std::string> Connection::cut_why() {
  const base::Lock lock(mutex_);
  return cut_;
}

void Connection::run() {
  try {
    began_ = shared_.clock.now();
    if (handshake() && log_in()) {
      server_.no_longer_waits(this);
      // Only now: clients that never log in must not cost as much.
      scratch_.resize(kScratch);
      serve();
    }
    record_unknown_keys();
  } catch (const std::exception& error) {
    shared_.log.error("an SSH connection failed",
                      {{"peer", asker_.peer.text()}, {"why", error.what()}});
  }
  library_log_.reset();
  server_.no_longer_waits(this);
  if (made_way_) lane_.shared().turned_away(asker_.peer.address);
  const auto cut = cut_why();
  end_channels(cut ? gate::State::kFailed : gate::State::kAbandoned, cut.value_or(kGone));
  mailbox_->close();
  channels_.clear();
  // Else libssh never frees its copy.
  if (event_) ssh_event_remove_fd(event_.get(), mailbox_->fd());
  event_.reset();
  // Never waits for a peer that takes nothing.
  ::shutdown(socket_.get(), SHUT_RDWR);
  session_.reset();
  socket_.reset();
  lane_.loop()->post(
      [weak = weak_from_this(), &lane = lane_, peer = asker_.peer.address] {
        if (const auto self = weak.lock()) lane.remove(self, peer);
      });
}

bool Connection::wait(base::Duration most) {
  if (phase_ != Phase::kOpen) {
    // Else each small message of the handshake waits for a delayed acknowledgement.
    const int on = 1;
    ::setsockopt(socket_.get(), IPPROTO_TCP, TCP_QUICKACK, &on, sizeof on);
  }
  const auto milliseconds = std::chrono::duration_cast<std::chrono::milliseconds>(most);
  const int got = ssh_event_dopoll(event_.get(), static_cast<int>(milliseconds.count()));
  return got != SSH_ERROR &&
         (ssh_get_status(session_.get()) & (SSH_CLOSED | SSH_CLOSED_ERROR)) == 0;
}

bool Connection::handshake() {
  older_ = server_.older_for(asker_.peer.address);
  session_.reset(ssh_new());
  event_.reset(ssh_event_new());
  if (!session_ || !event_) return false;
  const int on = 1;
  ::setsockopt(socket_.get(), IPPROTO_TCP, TCP_NODELAY, &on, sizeof on);
  base::UniqueFd own(::fcntl(socket_.get(), F_DUPFD_CLOEXEC, 0));
  if (!own || !server_.accept(session_.get(), std::move(own), older_)) return false;
  callbacks_.userdata = this;
  callbacks_.auth_password_function = [](ssh_session, const char* user,
                                         const char* password, void* self) {
    return static_cast<Connection*>(self)->try_password(user, password);
  };
  callbacks_.auth_pubkey_function = [](ssh_session, const char* user, ssh_key_struct* key,
                                       char signature, void* self) {
    return static_cast<Connection*>(self)->try_key(user, key,
                                                   static_cast<signed char>(signature));
  };
  callbacks_.channel_open_request_session_function = [](ssh_session, void* self) {
    return static_cast<Connection*>(self)->open_channel();
  };
  ssh_callbacks_init(&callbacks_);
  ssh_set_server_callbacks(session_.get(), &callbacks_);
  ssh_set_auth_methods(session_.get(),
                       SSH_AUTH_METHOD_PASSWORD | SSH_AUTH_METHOD_PUBLICKEY);
  ssh_set_blocking(session_.get(), 0);
  library_log_.emplace(LibraryLog::Detail::kAlgorithms);
  int state = ssh_handle_key_exchange(session_.get());
  if (state == SSH_AGAIN) {
    ssh_event_add_session(event_.get(), session_.get());
    ssh_event_add_fd(
        event_.get(), mailbox_->fd(), POLLIN,
        [](socket_t, int, void* box) {
          static_cast<Mailbox*>(box)->run();
          return 0;
        },
        mailbox_.get());
  }
  while (state == SSH_AGAIN) {
    const bool in_time = shared_.clock.now() - began_ < server_.config().log_in_patience;
    if (cut_why() || winding_up_ || !in_time || !wait(kTurn)) break;
    state = ssh_handle_key_exchange(session_.get());
  }
  if (state == SSH_OK) return true;
  handshake_failed();
  return false;
}

void Connection::handshake_failed() {
  if (cut_why() || winding_up_) return;
  const std::string error = ssh_get_error(session_.get());
  std::string why = "the SSH handshake failed";
  if (const auto method = between(error, "no match for method ", ':'); !method.empty()) {
    const auto theirs = between(error, "client [", ']');
    std::vector<std::string> words;
    for (std::size_t at = 0; at <= theirs.size();) {
      const auto end = std::min(theirs.find(',', at), theirs.size());
      words.push_back(theirs.substr(at, end - at));
      at = end + 1;
    }
    const auto older = older_among(words);
    why = fmt::format("no SSH with it: for {} it knows only {}", method,
                      base::printable(theirs, 300));
    if (!older.empty()) {
      why += fmt::format("; [[ssh.older]] in the settings can allow {} for its network",
                         older.front());
    }
    shared_.log.warning("no SSH with a client",
                        {{"peer", asker_.peer.text()}, {"why", why}});
  } else if (!error.empty()) {
    why += ": " + base::printable(error, 200);
  }
  shared_.gate.contacts().stray(asker_.peer.address, asker_.heard_on, why);
}

bool Connection::log_in() {
  phase_ = Phase::kLogIn;
  // Getting this far is as good as a request.
  shared_.gate.contacts().request(asker_.peer.address, asker_.heard_on);
  library_log_->listen_for(older_.empty() ? LibraryLog::Detail::kPackets
                                          : LibraryLog::Detail::kSignatures);
  while (asker_.account.empty()) {
    if (cut_why() || winding_up_) {
      disconnect(kStopping);
      return false;
    }
    if (!refused_.empty()) {
      disconnect(refused_);
      return false;
    }
    if (shared_.clock.now() - began_ >= server_.config().log_in_patience) {
      disconnect("no log-in in time");
      return false;
    }
    if (!wait(kTurn)) return false;
    const std::string_view error = ssh_get_error(session_.get());
    if (error.find("doesn't match server preference") != std::string_view::npos) {
      // libssh sends nothing to the client then, which would wait for ever.
      const base::Refusal refusal{
          base::Kind::kAccountNeeded,
          fmt::format(
              "signatures of type {} are not accepted from {}; use another key, or "
              "allow them for its network with [[ssh.older]]",
              base::printable(between(error, "from client (", ')'), 60),
              asker_.peer.address.text())};
      shared_.gate.record_refusal(asker_, "log-in", "", refusal);
      disconnect(refusal.sentence);
      return false;
    }
  }
  note_older();
  phase_ = Phase::kOpen;
  return true;
}

void Connection::note_older() {
  const auto used =
      older_.empty() ? std::vector<std::string>() : older_among(library_log_->words());
  library_log_.reset();
  if (used.empty()) return;
  const auto names = fmt::format("{}", fmt::join(used, ", "));
  asker_.remark = fmt::format("older SSH algorithms: {}", names);
  shared_.gate.log_ins().record(asker_, asker_.remark);
  server_.met_older(
      {shared_.clock.wall(), asker_.peer.address.text(), asker_.account, names});
}

void Connection::tell_before_log_in(const std::string& sentence) {
  const auto line = "vantrod: " + base::printable(sentence, 400) + "\r\n";
  const std::unique_ptr<ssh_string_struct, void (*)(ssh_string)> text(
      ssh_string_from_char(line.c_str()), ssh_string_free);
  if (text) ssh_send_issue_banner(session_.get(), text.get());
}

// On the pool for passwords, as each takes 64 MiB; this connection can do nothing else
// meanwhile anyway.
int Connection::try_password(const char* user, const char* password) {
  if (user == nullptr || password == nullptr || !asker_.account.empty()) {
    return SSH_AUTH_DENIED;
  }
  // The next guess can arrive before the loop that ends the connection runs again.
  if (!refused_.empty()) {
    insists_ = true;
    return SSH_AUTH_DENIED;
  }
  // libssh returns C strings. With a zero byte there is more in the packet than in them.
  const std::size_t told = std::strlen(user) + std::strlen(password);
  if (library_log_->payload() != kPasswordPacket + told) {
    refused_ = "there is a zero byte in the user name or the password";
    shared_.gate.record_refusal(asker_, "log-in", "",
                                {base::Kind::kAccountNeeded, refused_});
    return SSH_AUTH_DENIED;
  }
  if (auto account = shared_.gate.log_ins().remembered(asker_, user, password)) {
    logged_in(*account);
    return SSH_AUTH_SUCCESS;
  }
  std::promise<base::Outcome<std::string>> answer;
  auto answered = answer.get_future();
  const bool looked_at = shared_.log_in(
      asker_, user, password, [&](auto looked) { answer.set_value(std::move(looked)); });
  if (!looked_at) {
    tell_before_log_in(Shared::kTooManyLogIns);
    return SSH_AUTH_DENIED;
  }
  const auto account = answered.get();
  if (account) {
    logged_in(*account);
    return SSH_AUTH_SUCCESS;
  }
  if (account.error().kind != base::Kind::kAccountNeeded) {
    tell_before_log_in(account.error().sentence);
  }
  if (++wrong_passwords_ >= server_.config().most_wrong_passwords) {
    refused_ = "too many wrong passwords";
  }
  return SSH_AUTH_DENIED;
}

int Connection::try_key(const char* user, ssh_key key, signed char signature) {
  if (user == nullptr || key == nullptr || !asker_.account.empty()) {
    return SSH_AUTH_DENIED;
  }
  if (!refused_.empty()) {
    insists_ = true;
    return SSH_AUTH_DENIED;
  }
  if (const auto may = shared_.gate.log_ins().may_try(asker_); !may) {
    shared_.gate.record_refusal(asker_, "log-in", "", may.error());
    tell_before_log_in(may.error().sentence);
    refused_ = may.error().sentence;
    return SSH_AUTH_DENIED;
  }
  char* text = nullptr;
  if (ssh_pki_export_pubkey_base64(key, &text) != SSH_OK) return SSH_AUTH_DENIED;
  const std::string blob(text);
  ssh_string_free_char(text);
  const bool known = shared_.gate.log_ins().has_key(asker_, user, blob);
  if (known && signature == SSH_PUBLICKEY_STATE_NONE) return SSH_AUTH_SUCCESS;
  if (known && signature == SSH_PUBLICKEY_STATE_VALID) {
    logged_in(base::folded(user));
    return SSH_AUTH_SUCCESS;
  }
  // The name only if it exists: a text typed as a name may be the password.
  const auto name = base::folded(user);
  key_owner_ = shared_.gate.log_ins().find(name) ? name : "";
  if (++key_offers_ >= kMostKeyOffers) refused_ = "too many unknown keys";
  return SSH_AUTH_DENIED;
}

// Keys come one after the other, so only the end shows that none was good.
void Connection::record_unknown_keys() {
  if (key_offers_ == 0 || !asker_.account.empty()) return;
  shared_.gate.record_refusal(
      asker_, "log-in", key_owner_,
      {base::Kind::kAccountNeeded,
       fmt::format("{} of that account; 'vantro account key add' lets one in",
                   key_offers_ == 1
                       ? std::string("the offered key is not a key")
                       : fmt::format("the {} offered keys are not keys", key_offers_))});
}

void Connection::logged_in(const std::string& account) { asker_.account = account; }

ssh_channel Connection::open_channel() {
  // Not before it is recorded who it is, and how it logged in.
  if (phase_ != Phase::kOpen || winding_up_) return nullptr;
  if (channels_.size() >= kMostChannels) return nullptr;
  auto channel = std::make_unique<Channel>(session_.get(), socket_.get(), shared_,
                                           mailbox_, asker_, server_.config().version);
  if (channel->get() == nullptr) return nullptr;
  channels_.push_back(std::move(channel));
  return channels_.back()->get();
}

void Connection::disconnect(const std::string& why) {
  ssh_session_set_disconnect_message(session_.get(), why.c_str());
  // Earlier output comes first; but nobody waits for a peer that takes nothing, nor for
  // one that goes on asking: each answer would be output to wait for.
  const auto until = shared_.clock.now() + kFarewell;
  while ((ssh_get_poll_flags(session_.get()) & SSH_WRITE_PENDING) != 0 && !insists_ &&
         shared_.clock.now() < until && wait(std::chrono::milliseconds(20))) {
  }
  channels_.clear();
  ssh_disconnect(session_.get());
}

bool Connection::pump_channels(base::Instant now) {
  bool more = false;
  if (channels_.empty()) return false;
  // The first writer fills the socket: they take turns.
  next_channel_ = (next_channel_ + 1) % channels_.size();
  for (std::size_t i = 0; i < channels_.size(); ++i) {
    auto& channel = *channels_[(next_channel_ + i) % channels_.size()];
    more = channel.pump(now, scratch_) || more;
  }
  return more;
}

void Connection::end_channels(gate::State how, const std::string& why) {
  for (auto& one : channels_) one->end(how, why);
}

// Why it must end now, if it must.
std::optional<std::string> Connection::overdue(base::Instant now) {
  bool waits = false;
  for (const auto& one : channels_) {
    busy_at_ = std::max(busy_at_, one->moved_at());
    waits = waits || one->waits_for_client();
    // While the server files an upload the client has nothing to do.
    if (one->files_pending()) busy_at_ = now;
  }
  const auto quiet_for = now - busy_at_;
  if (waits) {
    if (quiet_for < server_.config().stall_patience) return std::nullopt;
    return "no progress for too long";
  }
  if (quiet_for >= server_.config().idle_patience) {
    return "no request for too long";
  }
  if (winding_up_ && quiet_for >= kTakesLeave) return kStopping;
  return std::nullopt;
}

void Connection::serve() {
  busy_at_ = shared_.clock.now();
  bool more = false;
  do {
    if (const auto why = cut_why()) {
      end_channels(gate::State::kFailed, *why);
      return disconnect(*why);
    }
    const auto now = shared_.clock.now();
    more = pump_channels(now);
    if (std::erase_if(channels_, [](const auto& one) { return one->closed(); }) > 0) {
      // Its end moved something, too, and it can no longer say so.
      busy_at_ = now;
    }
    for (const auto& one : channels_) {
      if (one->offence().empty()) continue;
      const auto why = one->offence();
      shared_.gate.contacts().stray(asker_.peer.address, asker_.heard_on, why);
      return end_channels(gate::State::kAbandoned, why);
    }
    if (const auto why = overdue(now)) {
      end_channels(gate::State::kAbandoned, *why);
      return disconnect(*why);
    }
  } while (wait(more ? base::Duration::zero() : kTurn));
}

}  // namespace vantro::serve::ssh
