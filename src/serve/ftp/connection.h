// One control connection: bytes to lines, lines to the session, and the session's
// actions: replies, questions to the gate, data connections.
#pragma once

#include <deque>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/clock.h"
#include "crypto/secret.h"
#include "gate/gate.h"
#include "net/conversation.h"
#include "net/event_loop.h"
#include "net/tcp_lane.h"
#include "net/tcp_stream.h"
#include "serve/ftp/data_connection.h"
#include "serve/ftp/data_way.h"
#include "serve/ftp/errands.h"
#include "serve/ftp/server.h"
#include "wire/ftp/line_reader.h"
#include "wire/ftp/session.h"

namespace vantro::serve::ftp {

// What it refers to must outlive it.
class Connection final : public net::Conversation, public net::EventLoop::Source {
 public:
  Connection(net::TcpLane& lane, Shared& shared, std::shared_ptr<const Config> config,
             net::Accepted accepted);
  ~Connection() override;

  bool start() override;
  void tick(base::Instant now) override;
  void wind_up() override;
  void cut(const std::string& why) override;

  void readable() override;
  void writable() override;
  void broken() override;

 private:
  enum class State { kTalking, kHandshake, kLingering, kClosed };

  void step(const wire::ftp::Event& event);
  void carry_out(wire::ftp::Actions actions);
  void process();
  void process_later();
  void flush();
  void settle_wanted();
  void handshake();
  void start_tls();
  void discard();
  void close(gate::State how, const std::string& why);

  void check(const wire::ftp::CheckLogIn& what);
  void look(const wire::ftp::Look& what);
  void looked(const wire::ftp::Look& what, const gate::Asker& who,
              const base::Outcome<wire::ftp::Seen>& seen);
  void record_unasked();
  void listen();
  void open(const wire::ftp::Open& what);
  void opened(base::Outcome<Opening> opening);
  void begin(const wire::ftp::Begin& what);

  // The client of these transfers and questions.
  gate::Asker asker(bool under_tls) const;
  bool client_is_there() const;
  void settle_told();
  void end_data(gate::State how, const std::string& why);

  template <class F>
  void on_lane(F work) {
    loop_->post([self = self(), work = std::move(work)]() mutable { work(*self); });
  }
  std::shared_ptr<Connection> self() {
    return std::static_pointer_cast<Connection>(shared_from_this());
  }
  base::Instant now() const { return shared_.clock.now(); }

  net::TcpLane& lane_;
  std::shared_ptr<net::EventLoop> loop_;
  Shared& shared_;
  const std::shared_ptr<const Config> config_;
  net::TcpStream stream_;
  const gate::Asker asker_;  // without account, in the clear
  const base::Endpoint local_;
  std::optional<net::EventLoop::Id> watched_;
  net::EventLoop::Wanted wanted_;
  State state_ = State::kTalking;
  bool processing_ = false;
  bool process_posted_ = false;

  wire::ftp::LineReader lines_;
  std::deque<wire::ftp::Command> waiting_;  // an empty verb: the line was too long
  bool client_ended_ = false;               // it sends no more
  wire::ftp::Session session_;
  std::string out_;
  std::size_t sent_ = 0;  // of out_
  bool tls_agreed_ = false;
  const std::string tls_mark_ = crypto::random_hex(16);
  bool closes_ = false;    // after the remaining replies
  base::Instant until_{};  // handshake, lingering

  // A client was told that a file does not exist, and may take that for its answer.
  struct Unasked {
    std::string path;
    gate::Asker who;
    base::Refusal refusal;
  };
  std::optional<Unasked> unasked_;
  // A filed upload, until its reply has reached the client's system.
  struct Told {
    gate::Filed filed;
    std::optional<std::uint64_t> sent;  // everything sent up to the reply's end
  };
  std::vector<Told> told_;
  std::unique_ptr<DataWay> way_;
  std::shared_ptr<DataConnection> data_;  // opened, or running
};

}  // namespace vantro::serve::ftp
