#include "serve/ftp/connection.h"

#include <algorithm>
#include <cerrno>
#include <sys/socket.h>

#include "base/overloaded.h"
#include "serve/when_verified.h"

namespace vantro::serve::ftp {
namespace {

using base::Kind;
namespace ftp = wire::ftp;

// Limits for waiting commands, and for replies that the client does not take: then no
// more is read.
constexpr std::size_t kMostWaiting = 256;
constexpr std::size_t kMostUnsent = 64 * 1024;
// Bytes of commands at a time: many short ones must not pile up at once.
constexpr std::size_t kReadAtOnce = 4 * 1024;
constexpr std::chrono::seconds kHandshakePatience{20};
constexpr std::chrono::seconds kLastWords{5};  // for a client to take them
constexpr std::chrono::seconds kLinger{2};
constexpr int kReadsInARow = 16;
// A client that sends very many commands at once must not hold up the lane's others.
constexpr int kCommandsInARow = 32;

constexpr const char* kGone = "the client closed the control connection";

ftp::SessionConfig session_config(const Config& config, const net::TcpShared& server,
                                  const base::Endpoint& peer) {
  ftp::SessionConfig session;
  session.tls = server.config.tls != nullptr;
  session.peer = peer;
  session.announced_address = config.announced_address;
  session.version = config.version;
  session.log_in_patience = config.log_in_patience;
  session.idle_patience = config.idle_patience;
  return session;
}

}  // namespace

Connection::Connection(net::TcpLane& lane, Shared& shared,
                       std::shared_ptr<const Config> config, net::Accepted accepted)
    : lane_(lane),
      loop_(lane.loop()),
      shared_(shared),
      config_(std::move(config)),
      stream_(std::move(accepted.socket), nullptr),
      asker_(asker_of(accepted)),
      local_(accepted.local),
      session_(session_config(*config_, lane.shared(), asker_.peer)) {
  // The mark that comes with ABOR is urgent data, and would not be seen otherwise.
  const int on = 1;
  ::setsockopt(stream_.fd(), SOL_SOCKET, SO_OOBINLINE, &on, sizeof on);
}

Connection::~Connection() = default;

bool Connection::start() {
  watched_ = loop_->watch(stream_.fd(), *this);
  if (!watched_) return false;
  shared_.gate.contacts().request(asker_.peer.address, asker_.heard_on);
  on_lane([](Connection& connection) { connection.step(ftp::Started{}); });
  return true;
}

gate::Asker Connection::asker(bool under_tls) const {
  auto who = asker_;
  who.account = session_.account();
  if (under_tls) who.protocol = lane_.shared().protocol.name_with_tls;
  return who;
}

// -- The session --

void Connection::step(const ftp::Event& event) {
  if (state_ == State::kClosed) return;
  ftp::Actions actions;
  session_.step(event, now(), shared_.clock.wall(), actions);
  carry_out(std::move(actions));
  process();
}

void Connection::carry_out(ftp::Actions actions) {
  for (auto& action : actions) {
    std::visit(
        base::Overloaded{
            [&](const ftp::Say& what) { out_ += what.text; },
            [&](const ftp::CheckLogIn& what) { check(what); },
            [&](const ftp::Look& what) { look(what); },
            [&](const ftp::Listen&) { listen(); },
            [&](const ftp::Open& what) { open(what); },
            [&](const ftp::Begin& what) { begin(what); },
            [&](const ftp::Abort& what) { end_data(gate::State::kAbandoned, what.why); },
            [&](const ftp::CloseListener&) { way_.reset(); },
            [&](const ftp::StartTls&) { tls_agreed_ = true; },
            [&](const ftp::Close&) {
              closes_ = true;
              until_ = now() + kLastWords;
            },
        },
        action);
  }
}

// Gives the session as many waiting lines as it takes.
void Connection::process() {
  if (processing_) return;
  processing_ = true;
  for (int taken = 0; state_ == State::kTalking && !tls_agreed_ && !closes_; ++taken) {
    while (auto line = lines_.next()) {
      waiting_.push_back(line->too_long ? ftp::Command{}
                                        : ftp::parse_command(line->text));
      if (line->too_long) waiting_.back().argument = "too long";
    }
    if (waiting_.empty()) break;
    if (taken == kCommandsInARow) {
      process_later();
      break;
    }
    if (out_.size() - sent_ > kMostUnsent) {
      flush();
      // The socket reports when there is space again.
      if (state_ != State::kTalking || out_.size() - sent_ > kMostUnsent) break;
    }
    const bool commits = data_ && data_->commits();
    if (!session_.takes(waiting_.front()) || commits) {
      const bool wanted = std::any_of(waiting_.begin(), waiting_.end(),
                                      [](const auto& one) { return one.verb == "ABOR"; });
      if (!wanted || commits || !session_.transfers()) break;
      ftp::Actions actions;
      session_.abort_ahead(actions);
      carry_out(std::move(actions));
      continue;
    }
    const auto command = std::move(waiting_.front());
    waiting_.pop_front();
    if (data_) session_.progress(data_->progress());
    ftp::Actions actions;
    if (command.verb.empty() && !command.argument.empty()) {
      session_.step(ftp::CameTooLong{}, now(), shared_.clock.wall(), actions);
    } else {
      session_.step(ftp::Came{command}, now(), shared_.clock.wall(), actions);
    }
    carry_out(std::move(actions));
  }
  processing_ = false;
  // A client that has closed without QUIT does not wait for its transfer's end; one that
  // sent QUIT does.
  if (client_ended_ && session_.transfers() && state_ == State::kTalking) {
    const bool goodbye = std::any_of(waiting_.begin(), waiting_.end(),
                                     [](const auto& one) { return one.verb == "QUIT"; });
    if (!goodbye) return close(gate::State::kAbandoned, kGone);
  }
  flush();
}

void Connection::process_later() {
  if (process_posted_) return;
  process_posted_ = true;
  on_lane([](Connection& connection) {
    connection.process_posted_ = false;
    connection.process();
  });
}

// -- The control connection --

void Connection::settle_wanted() {
  if (!watched_) return;
  const bool unsent = sent_ < out_.size();
  const bool room = waiting_.size() < kMostWaiting && out_.size() - sent_ <= kMostUnsent;
  // Bytes that TLS has decrypted already do not make the socket readable.
  if (state_ == State::kTalking && room && stream_.has_pending()) {
    on_lane([](Connection& connection) {
      if (connection.state_ == State::kTalking) connection.readable();
    });
  }
  const net::EventLoop::Wanted wanted{
      !client_ended_ && (room || state_ == State::kLingering), unsent};
  if (wanted == wanted_) return;
  wanted_ = wanted;
  loop_->want(*watched_, stream_.fd(), wanted);
}

void Connection::flush() {
  if (state_ != State::kTalking) return;
  while (sent_ < out_.size()) {
    const auto moved =
        stream_.write(base::as_bytes(std::string_view(out_).substr(sent_)));
    if (moved.step == net::TcpStream::Step::kMoved) {
      sent_ += moved.count;
      continue;
    }
    if (moved.step == net::TcpStream::Step::kEnd ||
        moved.step == net::TcpStream::Step::kBroken) {
      close(gate::State::kAbandoned, kGone);
      return;
    }
    break;
  }
  if (sent_ == out_.size()) {
    for (auto& one : told_) {
      if (!one.sent) one.sent = stream_.sent();
    }
    out_.clear();
    sent_ = 0;
    if (out_.capacity() > kMostUnsent) std::string().swap(out_);
    if (tls_agreed_) return start_tls();
    const bool done = client_ended_ && waiting_.empty() && !data_ && session_.idle();
    if (closes_ || done) {
      stream_.end_sending();
      state_ = State::kLingering;
      until_ = now() + kLinger;
      settle_told();
      if (client_ended_ && told_.empty()) return close(gate::State::kAbandoned, kGone);
    }
  }
  settle_wanted();
}

// Forgets uploads whose reply the client's system has acknowledged.
void Connection::settle_told() {
  if (told_.empty()) return;
  const auto waiting = stream_.unacknowledged();
  const auto arrived = stream_.sent() - std::min(stream_.sent(), waiting);
  std::erase_if(told_, [&](const auto& one) {
    return one.sent && (waiting == 0 || arrived >= *one.sent);
  });
}

void Connection::readable() {
  const auto alive = shared_from_this();
  settle_told();
  if (state_ == State::kHandshake) return handshake();
  if (state_ == State::kLingering) return discard();
  for (int i = 0; i < kReadsInARow && state_ == State::kTalking; ++i) {
    const auto scratch = std::span(lane_.scratch()).first(kReadAtOnce);
    const auto moved = stream_.read(scratch);
    if (moved.step == net::TcpStream::Step::kWaitRead ||
        moved.step == net::TcpStream::Step::kWaitWrite) {
      break;
    }
    if (moved.step == net::TcpStream::Step::kBroken) {
      close(gate::State::kAbandoned, kGone);
      return;
    }
    if (moved.step == net::TcpStream::Step::kEnd) {
      client_ended_ = true;
      process();
      break;
    }
    lines_.feed(scratch.first(moved.count));
    out_ += lines_.take_answers();
    process();
    if (!wanted_.read) break;
  }
  if (state_ == State::kTalking) settle_wanted();
}

void Connection::writable() {
  const auto alive = shared_from_this();
  if (state_ == State::kHandshake) return handshake();
  // There may be space for more replies again.
  if (state_ == State::kTalking) flush();
  if (state_ == State::kTalking) process();
}

void Connection::broken() {
  const auto alive = shared_from_this();
  if (state_ == State::kTalking && !client_ended_) {
    // Bytes before the end may still be a command.
    readable();
  }
  close(gate::State::kAbandoned, kGone);
}

void Connection::start_tls() {
  tls_agreed_ = false;
  if (!waiting_.empty() || !lines_.empty()) {
    // Sent in the clear by somebody who may not be the client, and taken for the client's
    // own.
    shared_.gate.contacts().stray(asker_.peer.address, asker_.heard_on,
                                  "commands came between AUTH TLS and its handshake");
    close(gate::State::kAbandoned, kGone);
    return;
  }
  auto channel = lane_.shared().config.tls->accept(stream_.fd(), {"", false, tls_mark_});
  if (!channel) return close(gate::State::kFailed, kGone);
  stream_.secure(std::move(channel));
  state_ = State::kHandshake;
  until_ = now() + kHandshakePatience;
  settle_wanted();
  handshake();
}

void Connection::handshake() {
  switch (stream_.handshake()) {
    case net::TcpStream::Step::kMoved:
      state_ = State::kTalking;
      wanted_ = {};
      loop_->want(*watched_, stream_.fd(), wanted_);
      // Bytes that TLS has decrypted already do not make the socket readable.
      on_lane([](Connection& connection) {
        if (connection.state_ == State::kTalking) connection.readable();
      });
      return;
    case net::TcpStream::Step::kWaitRead:
    case net::TcpStream::Step::kWaitWrite:
      return;
    case net::TcpStream::Step::kEnd:
    case net::TcpStream::Step::kBroken:
      shared_.gate.contacts().stray(asker_.peer.address, asker_.heard_on,
                                    "the TLS handshake failed: " + stream_.why());
      close(gate::State::kAbandoned, kGone);
      return;
  }
}

// Closing with unread bytes resets the connection, and the client may lose the last
// reply.
void Connection::discard() {
  auto& scratch = lane_.scratch();
  for (int i = 0; i < kReadsInARow; ++i) {
    const auto moved = stream_.read(scratch);
    if (moved.step == net::TcpStream::Step::kMoved) continue;
    if (moved.step == net::TcpStream::Step::kWaitRead ||
        moved.step == net::TcpStream::Step::kWaitWrite) {
      return;
    }
    return close(gate::State::kAbandoned, kGone);
  }
}

void Connection::tick(base::Instant at) {
  const auto alive = shared_from_this();
  if (data_) data_->tick(at);
  settle_told();
  if (state_ == State::kLingering && client_ended_ && told_.empty()) {
    return close(gate::State::kAbandoned, kGone);
  }
  if (state_ == State::kTalking) {
    const auto deadline = session_.deadline();
    if (deadline && at >= *deadline) step(ftp::DeadlinePassed{});
    if (closes_ && at >= until_) close(gate::State::kAbandoned, kGone);
  } else if (at >= until_) {
    close(gate::State::kAbandoned, kGone);
  }
}

void Connection::wind_up() {
  const auto alive = shared_from_this();
  if (state_ == State::kHandshake) return close(gate::State::kAbandoned, kGone);
  step(ftp::Stopping{});
}

void Connection::cut(const std::string& why) {
  const auto alive = shared_from_this();
  close(gate::State::kFailed, why);
}

void Connection::close(gate::State how, const std::string& why) {
  if (state_ == State::kClosed) return;
  state_ = State::kClosed;
  end_data(how, why);
  record_unasked();
  settle_told();
  if (!told_.empty()) {
    shared_.disk.post([&gate = shared_.gate, told = std::move(told_)] {
      for (const auto& one : told) gate.reply_lost(one.filed);
    });
    told_.clear();
  }
  if (watched_) loop_->forget(*watched_, stream_.fd());
  watched_.reset();
  stream_.close();
  lane_.remove(shared_from_this(), asker_.peer.address);
}

// -- What the session asks for --

void Connection::check(const ftp::CheckLogIn& what) {
  const auto who = asker(session_.secure());
  if (what.name.empty()) {
    shared_.disk.post([self = self(), &gate = shared_.gate, who] {
      self->on_lane([found = without_account(gate, who)](Connection& connection) {
        connection.step(ftp::LoggedIn{found});
      });
    });
    return;
  }
  if (auto account = shared_.gate.log_ins().remembered(who, what.name, what.password)) {
    on_lane([account = *account](Connection& connection) {
      connection.step(ftp::LoggedIn{account});
    });
    return;
  }
  const bool looked_at =
      shared_.log_in(who, what.name, what.password, [self = self()](auto account) {
        self->on_lane([account = std::move(account)](Connection& connection) {
          connection.step(ftp::LoggedIn{account});
        });
      });
  if (looked_at) return;
  on_lane([](Connection& connection) {
    connection.step(ftp::LoggedIn{base::refuse(Kind::kBusy, Shared::kTooManyLogIns)});
  });
}

void Connection::look(const ftp::Look& what) {
  shared_.disk.post([self = self(), &gate = shared_.gate, who = asker(session_.secure()),
                     what] {
    self->on_lane([who, what, seen = serve::ftp::look(gate, who, what)](
                      Connection& connection) { connection.looked(what, who, seen); });
  });
}

// Some clients give up when SIZE is refused, others send RETR or STOR anyway. So the
// refusal is recorded if the file is not requested after it.
void Connection::looked(const ftp::Look& what, const gate::Asker& who,
                        const base::Outcome<ftp::Seen>& seen) {
  const bool of_a_file =
      what.what == ftp::Look::For::kFile || what.what == ftp::Look::For::kAny;
  if (!seen && of_a_file && state_ != State::kClosed) {
    if (unasked_ && unasked_->path != what.path) record_unasked();
    unasked_ = Unasked{what.path, who, seen.error()};
  }
  step(ftp::Looked{seen});
}

void Connection::record_unasked() {
  if (!unasked_) return;
  shared_.gate.record_refusal(unasked_->who, word(gate::Direction::kFetch),
                              unasked_->path.substr(1), unasked_->refusal);
  unasked_.reset();
}

void Connection::listen() {
  auto way =
      DataWay::listen(*loop_, local_, asker_.peer.address, config_->data_ports,
                      [this](const base::Endpoint& stranger) {
                        shared_.gate.contacts().stray(
                            stranger.address, asker_.heard_on,
                            "it connected to a port that was opened for another client");
                      });
  on_lane([where = way ? base::Outcome<base::Endpoint>((*way)->local())
                       : base::refuse(way.error())](Connection& connection) {
    connection.step(ftp::Listening{where});
  });
  if (way) way_ = std::move(*way);
}

void Connection::open(const ftp::Open& what) {
  if (unasked_ && unasked_->path == what.path) unasked_.reset();
  const auto open = [self = self(), &gate = shared_.gate,
                     who = asker(session_.secure_data()), what] {
    // std::function needs copyable contents.
    auto opening =
        std::make_shared<base::Outcome<Opening>>(serve::ftp::open(gate, who, what));
    self->on_lane(
        [opening](Connection& connection) { connection.opened(std::move(*opening)); });
  };
  const auto on_disk = [&disk = shared_.disk](Work work) { disk.post(std::move(work)); };
  if (what.what == ftp::Open::What::kRetrieve) {
    when_verified(shared_.gate, asker(session_.secure_data()), without_slash(what.path),
                  on_disk, open);
  } else if (what.append || what.offset > 0) {
    // When an upload resumes, its earlier bytes are read again.
    shared_.slow.post(open);
  } else {
    on_disk(open);
  }
}

void Connection::opened(base::Outcome<Opening> opening) {
  if (!opening) {
    step(ftp::Opened{base::refuse(opening.error())});
    return;
  }
  data_ = std::make_shared<DataConnection>(
      lane_, shared_, std::move(opening->cargo),
      DataConnection::Patience{config_->come_patience, config_->stall_patience,
                               config_->cut_ends_from && config_->cut_ends_from->contains(
                                                             asker_.peer.address)});
  if (state_ == State::kClosed) {
    end_data(gate::State::kAbandoned, kGone);
    return;
  }
  step(ftp::Opened{opening->sentence});
}

void Connection::begin(const ftp::Begin& what) {
  auto way = std::move(way_);
  std::string failed = "no transfer waits for it any more";
  if (what.to) {
    auto outgoing = DataWay::connect(*loop_, local_, *what.to);
    if (outgoing) {
      way = std::move(*outgoing);
    } else {
      way.reset();
      failed = outgoing.error().sentence;
    }
  }
  if (!way) {
    end_data(gate::State::kAbandoned, failed);
    on_lane([failed](Connection& connection) {
      connection.step(ftp::Ended{
          ftp::Ended::How::kNoConnection, "The data connection failed: " + failed, {}});
    });
    return;
  }
  // The reply that data will follow comes before the data.
  flush();
  if (state_ == State::kClosed) return;
  data_->begin(
      std::move(way),
      {session_.secure_data() ? lane_.shared().config.tls : nullptr, tls_mark_,
       config_->same_session},
      [this] { return client_is_there(); },
      [this](ftp::Ended how, std::optional<gate::Filed> filed) {
        const auto alive = shared_from_this();
        data_.reset();
        if (filed) told_.push_back({std::move(*filed), std::nullopt});
        step(how);
      });
}

bool Connection::client_is_there() const {
  if (client_ended_) {
    return std::any_of(waiting_.begin(), waiting_.end(),
                       [](const auto& one) { return one.verb == "QUIT"; });
  }
  // Unread, because too much waits, or only since a moment.
  char next = 0;
  const auto got = ::recv(stream_.fd(), &next, 1, MSG_PEEK | MSG_DONTWAIT);
  return got > 0 || (got < 0 && (errno == EAGAIN || errno == EWOULDBLOCK));
}

void Connection::end_data(gate::State how, const std::string& why) {
  way_.reset();
  const auto data = std::move(data_);
  data_.reset();
  if (data) data->end(how, why);
}

}  // namespace vantro::serve::ftp
