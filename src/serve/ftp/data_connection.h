// One transfer's data connection: it is set up, carries one file or listing one way,
// and ends. A file is sent completely when the client's system has acknowledged its last
// byte.
//
//   kWaiting -> kHandshake -> kSending -> kLastBytes -> kOver
//                         \-> kReceiving -> kEnded -> kCommitting -> kOver
//
// Under TLS the client must say that its upload has ended (close_notify; RFC 8446, 6.1),
// as anybody on the way can end a TCP connection. In the clear, the end alone does not
// prove that it is the file's: a killed client closes its data connection like one that
// is done. So the announced size is compared; the control connection, which a killed
// client closes a moment later, is checked before anything is filed; and a filed upload
// is in doubt until the reply has reached the client (Connection).
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

// The content: a listing's text, the read grant's file from `offset` on, or an upload for
// the write grant.
struct Cargo {
  std::string text;
  std::shared_ptr<gate::ReadGrant> sent;
  std::uint64_t offset = 0;
  std::optional<gate::WriteGrant> received;
  bool lines = false;  // TYPE A
  // Upload: the size that the client announced, in bytes.
  std::optional<std::uint64_t> announced;
  std::string about;  // "Sending 'x'", for STAT and replies
};

// Used on its lane's thread.
class DataConnection final : public net::EventLoop::Source,
                             public std::enable_shared_from_this<DataConnection> {
 public:
  // With the filed upload, if there is one.
  using Done = std::function<void(wire::ftp::Ended, std::optional<gate::Filed>)>;

  struct Patience {
    base::Duration come;   // until it is set up
    base::Duration stall;  // without progress
    // Under TLS: an upload without close_notify counts as complete anyway, as some old
    // clients never send it.
    bool takes_cut_ends = false;
  };
  // How a data connection is protected.
  struct Protection {
    std::shared_ptr<crypto::TlsServer> tls;  // null: not at all
    std::string mark;                        // of the control connection's session
    bool same_session = false;               // no other session is accepted
  };

  // Lane and services must outlive it. `done` is called once, unless end() comes first.
  DataConnection(net::TcpLane& lane, Services& services, Cargo cargo, Patience patience);
  ~DataConnection() override;

  // `there`: whether the client is still connected.
  void begin(std::unique_ptr<DataWay> way, Protection protection,
             std::function<bool()> there, Done done);
  // Ends it without a callback. Received bytes are kept, but a commit that has begun goes
  // on.
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
  // Ends it and reports that.
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
  std::uint64_t moved_ = 0;  // at the last check

  // Sending: a text, and after it the file.
  base::ByteBuffer text_;
  std::size_t text_sent_ = 0;
  std::uint64_t at_ = 0;  // of the file
  std::unique_ptr<net::FileWindow> file_;
  bool waiting_for_disk_ = false;

  // Receiving.
  std::shared_ptr<UploadFeed> feed_;
  wire::ftp::FromNetworkLines from_lines_;
  base::ByteBuffer waiting_;  // read, without space for it yet
};

}  // namespace vantro::serve::ftp
