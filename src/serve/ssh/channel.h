// One channel of a connection: the client's request in it becomes a dialogue, whose bytes
// are carried between it and libssh.
#pragma once

#include <cstdint>
#include <libssh/callbacks.h>
#include <libssh/libssh.h>
#include <libssh/server.h>
#include <memory>
#include <optional>
#include <string>

#include "base/bytes.h"
#include "base/clock.h"
#include "gate/asker.h"
#include "serve/ssh/granted_files.h"
#include "serve/ssh/mailbox.h"
#include "wire/dialogue.h"

namespace vantro::serve::ssh {

// Used on its connection's thread. Services, session and the session's socket must
// outlive it.
class Channel {
 public:
  Channel(ssh_session session, int socket, Services& services,
          std::shared_ptr<Mailbox> mailbox, gate::Asker asker, std::string version);
  ~Channel();
  Channel(const Channel&) = delete;
  Channel& operator=(const Channel&) = delete;

  ssh_channel get() const { return channel_; }

  // Carries bytes both ways. True if there is more to do at once.
  bool pump(base::Instant now, base::ByteBuffer& scratch);
  // Over, and the client knows.
  bool closed() const { return closed_; }
  // Files are open, and it is the client's turn.
  bool waits_for_client() const;
  // An upload is being filed.
  bool files_pending() const { return !ended_ && files_ && files_->committing(); }
  // When bytes last moved either way.
  base::Instant moved_at() const { return moved_at_; }
  // The reason to disconnect; empty if none.
  const std::string& offence() const { return offence_; }
  // The connection has ended: received requests are carried out, open files are ended.
  void end(gate::State how, const std::string& why);

 private:
  static int on_exec(ssh_session, ssh_channel, const char* command, void* self);
  static int on_subsystem(ssh_session, ssh_channel, const char* name, void* self);
  static int on_shell(ssh_session, ssh_channel, void* self);
  static int on_pty(ssh_session, ssh_channel, const char*, int, int, int, int, void*);
  static int on_env(ssh_session, ssh_channel, const char*, const char*, void*);

  int begin_exec(const std::string& command);
  std::shared_ptr<GrantedFiles> files(const char* protocol);
  bool read(base::ByteBuffer& scratch, base::Instant now);
  bool write(base::Instant now);
  // `said`: the client ended its data; else it is gone.
  void input_ends(bool said);
  bool has_heard_all() const;
  bool is_still_on_its_way(base::Instant now);
  void say_remarks();
  // How much of it libssh took.
  std::size_t put(base::ByteView bytes, bool to_stderr);
  void finish();

  ssh_session session_;
  int socket_;  // libssh closes its own descriptor at any time
  Services& services_;
  std::shared_ptr<Mailbox> mailbox_;
  gate::Asker asker_;
  std::string version_;
  ssh_channel channel_;
  ssh_channel_callbacks_struct callbacks_{};
  std::shared_ptr<GrantedFiles> files_;
  std::unique_ptr<wire::Dialogue> dialogue_;
  base::ByteBuffer out_;  // from the dialogue
  std::size_t sent_ = 0;  // of it
  std::string remarks_;   // for standard error
  bool terminal_ = false;
  bool proven_ = false;                   // writing makes progress
  std::optional<base::Instant> said_at_;  // when the client had ended its data
  bool connection_over_ = false;
  bool input_ended_ = false;
  bool ended_ = false;  // exit status and end are on their way
  bool status_sent_ = false;
  bool closed_ = false;
  std::string offence_;
  base::Instant moved_at_{};
  bool quiet_told_ = false;
};

}  // namespace vantro::serve::ssh
