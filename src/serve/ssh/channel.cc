#include "serve/ssh/channel.h"

#include <algorithm>
#include <csetjmp>
#include <cstring>
#include <fmt/format.h>
#include <limits>
#include <linux/sockios.h>
#include <string_view>
#include <sys/ioctl.h>

#include "wire/notice.h"
#include "wire/scp/sink.h"
#include "wire/scp/source.h"
#include "wire/sftp/session.h"

namespace vantro::serve::ssh {
namespace {

// Smaller pieces cost half of the speed, larger ones gain nothing.
constexpr std::size_t kPiece = 1 << 20;
// In one turn, so that channels take turns.
constexpr std::size_t kMostReadAtOnce = 1 << 20;
// The window of libssh is smaller: more arrives only if the client ignores it.
constexpr int kMostUnread = 8 << 20;
// Of the last messages of a connection that has ended, in bytes.
constexpr std::size_t kEndPiece = 32 << 10;
constexpr base::Duration kAcknowledgedWithin = std::chrono::seconds(2);
constexpr base::Duration kQuiet = std::chrono::seconds(1);

// A packet size of a few bytes makes libssh 0.10 write empty packets for ever, and it
// does not say which size a client gave when it opened a channel. Its log is the only
// place where it shows. A jump is the way out, as between here and there are only frames
// of C, which an exception must not pass.
constexpr int kNoHeadway = std::numeric_limits<int>::min();
thread_local std::jmp_buf* way_out = nullptr;

void watch_headway(int, const char*, const char* text, void*) {
  if (way_out != nullptr &&
      std::strstr(text, "ssh_channel_write wrote 0 bytes") != nullptr) {
    std::longjmp(*way_out, 1);
  }
}

// As `write`; or kNoHeadway, after which the connection must be ended. No object with a
// destructor may live here.
int write_with_headway(int (*write)(ssh_channel, const void*, std::uint32_t),
                       ssh_channel channel, const void* bytes, std::uint32_t count) {
  const auto leave = [] {
    ssh_set_log_level(SSH_LOG_NONE);
    way_out = nullptr;
  };
  std::jmp_buf here;
  way_out = &here;
  if (setjmp(here) != 0) {
    leave();
    return kNoHeadway;
  }
  ssh_set_log_callback(watch_headway);
  ssh_set_log_level(SSH_LOG_PACKET);
  const int done = write(channel, bytes, count);
  leave();
  return done;
}

}  // namespace

Channel::Channel(ssh_session session, int socket, Services& services,
                 std::shared_ptr<Mailbox> mailbox, gate::Asker asker, std::string version)
    : session_(session),
      socket_(socket),
      services_(services),
      mailbox_(std::move(mailbox)),
      asker_(std::move(asker)),
      version_(std::move(version)),
      channel_(ssh_channel_new(session)),
      moved_at_(services.clock.now()) {
  if (channel_ == nullptr) return;
  callbacks_.userdata = this;
  callbacks_.channel_exec_request_function = on_exec;
  callbacks_.channel_subsystem_request_function = on_subsystem;
  callbacks_.channel_shell_request_function = on_shell;
  callbacks_.channel_pty_request_function = on_pty;
  callbacks_.channel_env_request_function = on_env;
  ssh_callbacks_init(&callbacks_);
  ssh_set_channel_callbacks(channel_, &callbacks_);
}

Channel::~Channel() {
  if (channel_ == nullptr) return;
  ssh_remove_channel_callbacks(channel_, &callbacks_);
  ssh_channel_free(channel_);
}

int Channel::on_exec(ssh_session, ssh_channel, const char* command, void* self) {
  return static_cast<Channel*>(self)->begin_exec(command == nullptr ? "" : command);
}

int Channel::on_subsystem(ssh_session, ssh_channel, const char* name, void* self) {
  auto& channel = *static_cast<Channel*>(self);
  if (channel.dialogue_ || name == nullptr || std::string_view(name) != "sftp") {
    return SSH_ERROR;
  }
  channel.files_ = channel.files("sftp");
  channel.dialogue_ = std::make_unique<wire::sftp::Session>(*channel.files_);
  return SSH_OK;
}

int Channel::on_shell(ssh_session, ssh_channel, void* self) {
  return static_cast<Channel*>(self)->begin_exec("");
}

int Channel::on_pty(ssh_session, ssh_channel, const char*, int, int, int, int,
                    void* self) {
  static_cast<Channel*>(self)->terminal_ = true;
  return SSH_OK;
}

// Clients send their language and the like, useful or not.
int Channel::on_env(ssh_session, ssh_channel, const char*, const char*, void*) {
  return SSH_OK;
}

std::shared_ptr<GrantedFiles> Channel::files(const char* protocol) {
  asker_.protocol = protocol;
  services_.gate.contacts().request(asker_.peer.address, asker_.heard_on);
  return std::make_shared<GrantedFiles>(
      services_, mailbox_, asker_,
      [this](wire::FileHandle handle, const base::Outcome<void>& done) {
        dialogue_->synced(handle, done);
      },
      [this](wire::FileHandle handle, const base::Outcome<void>& done) {
        dialogue_->filed(handle, done);
      });
}

int Channel::begin_exec(const std::string& command) {
  if (dialogue_) return SSH_ERROR;
  auto parsed = wire::scp::parse_command(command);
  if (!parsed) {
    dialogue_ = std::make_unique<wire::Notice>(parsed.error().sentence);
  } else if (!*parsed) {
    dialogue_ = std::make_unique<wire::Notice>(
        fmt::format("hands out device images and receives backups over scp and sftp "
                    "(version {}); it runs no commands",
                    version_));
  } else {
    files_ = files("scp");
    if ((*parsed)->sends) {
      dialogue_ = std::make_unique<wire::scp::Sink>(*files_, std::move(**parsed));
    } else {
      dialogue_ = std::make_unique<wire::scp::Source>(*files_, std::move(**parsed));
    }
  }
  return SSH_OK;
}

bool Channel::waits_for_client() const {
  return !ended_ && files_ && (files_->waits_for_client() || sent_ < out_.size());
}

bool Channel::pump(base::Instant now, base::ByteBuffer& scratch) {
  if (closed_ || !dialogue_) {
    if (ssh_channel_is_closed(channel_) != 0) closed_ = true;
    return false;
  }
  if (ended_) {
    finish();
    return false;
  }
  bool more = read(scratch, now);
  more = write(now) || more;
  if (!quiet_told_ && now - moved_at_ >= kQuiet) {
    quiet_told_ = true;
    dialogue_->quiet();
  }
  say_remarks();
  if (sent_ == out_.size() && remarks_.empty() && dialogue_->over()) {
    ended_ = true;
    finish();
    return false;
  }
  return more;
}

// True if there may be more already.
bool Channel::read(base::ByteBuffer& scratch, base::Instant now) {
  std::size_t taken = 0;
  // Also while the dialogue has enough to do: write() waits for this before it goes on.
  if (said_at_ && !input_ended_ && !is_still_on_its_way(now)) input_ends(true);
  while (!input_ended_ && taken < kMostReadAtOnce && dialogue_->wants()) {
    // Reads everything: libssh opens the window again with each read, whatever is left.
    const int got = ssh_channel_read_nonblocking(
        channel_, scratch.data(), static_cast<std::uint32_t>(scratch.size()), 0);
    if (got > 0) {
      dialogue_->take(base::ByteView(scratch).first(static_cast<std::size_t>(got)));
      taken += static_cast<std::size_t>(got);
      moved_at_ = now;
      quiet_told_ = false;
      continue;
    }
    if (got < 0 || ssh_channel_is_eof(channel_) != 0 ||
        ssh_channel_is_closed(channel_) != 0) {
      const bool said = got == SSH_EOF || ssh_channel_is_eof(channel_) != 0;
      if (said && is_still_on_its_way(now)) break;
      input_ends(said);
    } else if (files_) {
      files_->pause();
    }
    break;
  }
  if (ssh_channel_poll(channel_, 0) > kMostUnread) {
    offence_ = "the client sent more than the window allows";
  }
  return taken >= kMostReadAtOnce;
}

void Channel::input_ends(bool said) {
  input_ended_ = true;
  dialogue_->input_ended(!said             ? wire::InputEnd::kGone
                         : has_heard_all() ? wire::InputEnd::kSaidAndHeardAll
                                           : wire::InputEnd::kSaid);
}

// Nothing waits here, in libssh or in the socket.
bool Channel::has_heard_all() const {
  int unacknowledged = 0;
  return sent_ == out_.size() &&
         (ssh_get_poll_flags(session_) & SSH_WRITE_PENDING) == 0 &&
         ::ioctl(socket_, SIOCOUTQ, &unacknowledged) == 0 && unacknowledged == 0;
}

// The client has ended its data, and may have sent that before its system acknowledged
// our last bytes: libssh2 does not wait for the zero byte after a file.
bool Channel::is_still_on_its_way(base::Instant now) {
  if (connection_over_ || sent_ != out_.size() || has_heard_all()) return false;
  if (!said_at_) said_at_ = now;
  return now - *said_at_ < kAcknowledgedWithin;
}

bool Channel::write(base::Instant now) {
  // While bytes still wait in libssh for the socket, more would only pile up there.
  if ((ssh_get_poll_flags(session_) & SSH_WRITE_PENDING) != 0) return false;
  const bool heard = ssh_channel_is_open(channel_) != 0;
  if (!heard && said_at_ && !input_ended_) return false;  // is_still_on_its_way()
  if (sent_ == out_.size() || !heard) {
    out_.clear();
    sent_ = 0;
    dialogue_->say(out_, kPiece);
    if (out_.empty()) return false;
  }
  // Requests from before the client closed the channel are carried out anyway.
  if (!heard) return true;
  const auto taken = put(base::ByteView(out_).subspan(sent_), false);
  sent_ += taken;
  if (taken > 0) moved_at_ = now;
  return taken > 0;
}

std::size_t Channel::put(base::ByteView bytes, bool to_stderr) {
  if (ssh_channel_is_open(channel_) == 0) return 0;
  // libssh would wait for a window that is closed.
  const std::size_t window = ssh_channel_window_size(channel_);
  const auto count = static_cast<std::uint32_t>(std::min(bytes.size(), window));
  if (count == 0) return 0;
  const auto write = to_stderr ? ssh_channel_write_stderr : ssh_channel_write;
  const int done = proven_ ? write(channel_, bytes.data(), count)
                           : write_with_headway(write, channel_, bytes.data(), count);
  if (done == kNoHeadway) offence_ = "it accepts packets of a few bytes only";
  proven_ = done > 0;
  return done > 0 ? static_cast<std::size_t>(done) : 0;
}

void Channel::say_remarks() {
  if (auto text = dialogue_->remark(); !text.empty()) {
    const char* end = terminal_ ? "\r\n" : "\n";
    for (std::size_t at = 0; at < text.size();) {
      const auto until = std::min(text.find('\n', at), text.size());
      remarks_ += "vantrod: " + text.substr(at, until - at) + end;
      at = until + 1;
    }
  }
  if (remarks_.empty()) return;
  if (ssh_channel_is_open(channel_) == 0) {
    remarks_.clear();
    return;
  }
  remarks_.erase(0, put(base::as_bytes(remarks_), true));
}

void Channel::finish() {
  if (ssh_channel_is_open(channel_) == 0) {
    closed_ = true;
    return;
  }
  if ((ssh_get_poll_flags(session_) & SSH_WRITE_PENDING) != 0) return;
  if (!status_sent_) {
    status_sent_ = true;
    ssh_channel_request_send_exit_status(channel_, *dialogue_->over());
  }
  // It says "again" while its messages are on their way.
  if (ssh_channel_close(channel_) == SSH_OK) closed_ = true;
}

void Channel::end(gate::State how, const std::string& why) {
  if (!dialogue_ || ended_) return;
  ended_ = true;
  // A client's last messages and its disconnection may come in one go: then libssh has
  // both, and nobody has read the messages yet.
  connection_over_ = true;
  if (how == gate::State::kAbandoned) {
    base::ByteBuffer scratch(kEndPiece);
    while (read(scratch, moved_at_)) {
    }
  }
  if (files_) files_->ends_with(how, why);
  if (!input_ended_) dialogue_->input_ended(wire::InputEnd::kGone);
  // Requests before the end are carried out, as far as the disk takes them at once.
  base::ByteBuffer unheard;
  do {
    unheard.clear();
    dialogue_->say(unheard, kPiece);
  } while (!unheard.empty());
  if (files_) files_->end_all();
}

}  // namespace vantro::serve::ssh
