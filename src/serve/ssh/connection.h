// One SSH connection, on its own thread: key exchange, log-in, then its channels.
#pragma once

#include <atomic>
#include <libssh/callbacks.h>
#include <libssh/libssh.h>
#include <memory>
#include <optional>
#include <string>
#include <thread>
#include <vector>

#include "base/mutex.h"
#include "base/unique_fd.h"
#include "gate/asker.h"
#include "net/conversation.h"
#include "net/tcp_lane.h"
#include "serve/ssh/channel.h"
#include "serve/ssh/library_log.h"
#include "serve/ssh/mailbox.h"
#include "serve/ssh/server.h"

namespace vantro::serve::ssh {

// What it refers to must outlive it. Its destructor waits for the thread.
class Connection final : public net::Conversation {
 public:
  Connection(net::TcpLane& lane, Shared& shared, Server& server, net::Accepted accepted);
  ~Connection() override;

  // On the lane's thread.
  bool start() override;
  void tick(base::Instant) override {}  // its own thread checks its deadlines
  void wind_up() override;
  void cut(const std::string& why) override;
  // Ends it for others, before it has logged in. From any thread.
  void make_way();

 private:
  struct SessionFree {
    void operator()(ssh_session session) const { ssh_free(session); }
  };
  struct EventFree {
    void operator()(ssh_event event) const { ssh_event_free(event); }
  };
  enum class Phase { kHandshake, kLogIn, kOpen };

  // All that follows is for the connection's own thread.
  void run();
  // False: it is over.
  bool handshake();
  bool log_in();
  void serve();
  // Waits for the socket or the mailbox; false when the connection has ended.
  bool wait(base::Duration most);
  bool pump_channels(base::Instant now);
  void end_channels(gate::State how, const std::string& why);
  std::optional<std::string> overdue(base::Instant now);
  void handshake_failed();
  void note_older();
  // With a reason that the client may show.
  void disconnect(const std::string& why);
  std::optional<std::string> cut_why();

  int try_password(const char* user, const char* password);
  int try_key(const char* user, ssh_key key, signed char signature);
  ssh_channel open_channel();
  void record_unknown_keys();
  void tell_before_log_in(const std::string& sentence);
  void logged_in(const std::string& account);

  net::TcpLane& lane_;
  Server& server_;
  Shared& shared_;
  // Another descriptor of the socket than libssh's, which closes its own at any time: its
  // number may then belong to something else.
  base::UniqueFd socket_;
  gate::Asker asker_;
  std::shared_ptr<Mailbox> mailbox_ = std::make_shared<Mailbox>();
  std::thread thread_;
  std::atomic<bool> winding_up_ = false;
  std::atomic<bool> made_way_ = false;
  base::Mutex mutex_;
  std::optional<std::string> cut_ VANTRO_GUARDED_BY(mutex_);

  std::unique_ptr<ssh_session_struct, SessionFree> session_;
  std::unique_ptr<ssh_event_struct, EventFree> event_;
  ssh_server_callbacks_struct callbacks_{};
  std::vector<std::unique_ptr<Channel>> channels_;
  std::size_t next_channel_ = 0;  // the channel that may write first
  base::ByteBuffer scratch_;
  Phase phase_ = Phase::kHandshake;
  base::Instant busy_at_{};  // the last progress
  base::Instant began_{};
  std::set<std::string> older_;            // older algorithms allowed for it
  std::optional<LibraryLog> library_log_;  // until the log-in
  int wrong_passwords_ = 0;
  int key_offers_ = 0;
  std::string key_owner_;  // whose keys are expected, if there is such an account
  std::string refused_;    // why it must end before the log-in
  bool insists_ = false;   // tried to log in again after that
};

}  // namespace vantro::serve::ssh
