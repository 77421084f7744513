// One transfer's data connection: it comes about, carries one file or listing one way,
// and ends. What is sent is complete when the client's system has acknowledged its last
// byte.
//
//   kWaiting -> kHandshake -> kSending -> kLastBytes -> kOver
//                         \-> kReceiving -> kEnded -> kCommitting -> kOver
//
// Under TLS the client must say that its upload has ended (close_notify; RFC 8446, 6.1),
// as anybody on the way can end a TCP connection. Else the end says nothing of whether it
// is the file's: a client that is killed closes its data connection as one that is done
// does. So what it announced is compared; the other connection, which it closes a moment
// later, is looked at before anything is filed; and what is filed is in doubt until the
// reply has reached it (Connection).
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>

#include "base/bytes.h"
#include "base/clock.h"
#include "base/outcome.h"
#include "gate/gate.h"
#include "net/event_loop.h"
#include "net/file_window.h"
#include "net/tcp_lane.h"
#include "net/tcp_stream.h"
#include "serve/ftp/data_way.h"
#include "serve/upload_feed.h"
#include "wire/ftp/line_ends.h"
#include "wire/ftp/session.h"

namespace vantro::serve::ftp {

// What is carried: a listing's text, what the grant is for from `offset` on, or, towards
// us, what the other grant is for.
struct Cargo {
  std::string text;
  std::shared_ptr<gate::ReadGrant> sent;
  std::uint64_t offset = 0;
  std::optional<gate::WriteGrant> received;
  bool lines = false;  // TYPE A
  // Towards us: what the client said it would send, in bytes.
  std::optional<std::uint64_t> announced;
  std::string about;  // "Sending 'x'", for STAT and replies
};

// Used on its lane's thread.
class DataConnection final : public net::EventLoop::Source,
                             public std::enable_shared_from_this<DataConnection> {
 public:
  // With what was filed, where something was.
  using Done = std::function<void(wire::ftp::Ended, std::optional<gate::Filed>)>;

  struct Patience {
    base::Duration come;   // until it has come about
    base::Duration stall;  // while nothing moves
    // Under TLS: an upload that ends without a closing word is taken for whole all the
    // same, as some old clients never say it.
    bool takes_cut_ends = false;
  };
  // How a data connection is protected.
  struct Protection {
    std::shared_ptr<crypto::TlsServer> tls;  // null: not at all
    std::string mark;                        // of the control connection's session
    bool same_session = false;               // no other session is taken
  };

  // Lane and services must outlive it. `done` is called once, if end() does not come
  // first.
  DataConnection(net::TcpLane& lane, Services& services, Cargo cargo, Patience patience);
  ~DataConnection() override;

  // `there`: whether the client has not gone.
  void begin(std::unique_ptr<DataWay> way, Protection protection,
             std::function<bool()> there, Done done);
  // Ends it, and nothing is called back. What came is kept, but a commit that has begun
  // goes on.
  void end(gate::State how, const std::string& why);
  // Too late for end().
  bool commits() const { return state_ == State::kCommitting; }
  void tick(base::Instant now);
  wire::ftp::Progress progress() const;

  void readable() override;
  void writable() override;
  void broken() override;

 private:
  enum class State {
    kWaiting,
    kHandshake,
    kSending,
    kLastBytes,
    kReceiving,
    kEnded,
    kCommitting,
    kOver,
  };

  void come(base::UniqueFd socket);
  void handshake();
  void carry();
  void send();
  bool send_text();
  bool send_file();
  void read_lines();
  void last_bytes();
  void receive();
  bool put(base::ByteView bytes);
  void put_all(base::ByteView bytes);
  void take_rest();
  void received_all();
  void commit();
  bool went(net::TcpStream::Step step);
  void want(bool read, bool write);
  std::uint64_t moved() const;
  std::string sent_sentence() const;
  // Ends it and tells so.
  void over(wire::ftp::Ended how, gate::State state, const std::string& why,
            std::optional<gate::Filed> filed = {});
  void over_broken(gate::State state, const std::string& why);
  void drop(gate::State how, const std::string& why);

  net::TcpLane& lane_;
  Services& services_;
  std::shared_ptr<net::EventLoop> loop_;
  Cargo cargo_;
  const Patience patience_;
  State state_ = State::kWaiting;
  std::unique_ptr<DataWay> way_;
  Protection protection_;
  std::function<bool()> there_;
  Done done_;
  std::unique_ptr<net::TcpStream> stream_;
  std::optional<net::EventLoop::Id> watched_;
  net::EventLoop::Wanted wanted_;
  base::Instant moved_at_;
  std::uint64_t moved_ = 0;  // when it was last looked

  // Sending: a text, and behind it the file.
  base::ByteBuffer text_;
  std::size_t text_sent_ = 0;
  std::uint64_t at_ = 0;  // of the file
  std::unique_ptr<net::FileWindow> file_;
  bool waiting_for_disk_ = false;

  // Receiving.
  std::shared_ptr<UploadFeed> feed_;
  wire::ftp::FromNetworkLines from_lines_;
  base::ByteBuffer waiting_;  // read, and no room for it yet
};

}  // namespace vantro::serve::ftp
