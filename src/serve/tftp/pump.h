// Carries out the actions of a TFTP session: datagrams through a transport, file bytes
// through a file end on the disk pool. Written once, over interfaces, so that the same
// loop runs over sockets and over a simulated network.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>

#include "base/bytes.h"
#include "base/clock.h"
#include "base/outcome.h"
#include "gate/gate.h"
#include "wire/tftp/session.h"

namespace vantro::serve::tftp {

// The way for datagrams to the one peer. A datagram that cannot be sent is dropped: the
// session's resend timer covers that.
class Transport {
 public:
  virtual ~Transport() = default;
  virtual void send(base::ByteView datagram) = 0;
  virtual void send(const wire::tftp::SendBlocks& blocks) = 0;
  // The session has made a step: it may be done, or have another deadline.
  virtual void stepped() {}
};

// The file side of a transfer. Called on the disk pool only, and destroyed there.
class FileEnd {
 public:
  virtual ~FileEnd() = default;
  virtual base::Outcome<base::ByteBuffer> read(std::uint64_t offset, std::size_t count,
                                               base::ByteBuffer spare) = 0;
  virtual base::Outcome<void> write(base::ByteView bytes) = 0;
  virtual base::Outcome<void> commit() = 0;
  virtual void end(gate::State how, const std::string& why) = 0;
  // The exceptions: called on the I/O thread (see gate::ReadGrant).
  virtual bool read_now(std::uint64_t offset, std::size_t count,
                        base::ByteBuffer& bytes) = 0;
  virtual std::optional<base::ByteView> in_memory(std::uint64_t offset,
                                                  std::size_t count) = 0;
  virtual void advance(const gate::Movement& movement) = 0;
};

std::unique_ptr<FileEnd> file_end(gate::ReadGrant grant);
std::unique_ptr<FileEnd> file_end(gate::WriteGrant grant);

// The place where work runs. Work of one pump for on_disk() runs in its order.
class Workers {
 public:
  virtual ~Workers() = default;
  virtual void on_disk(std::function<void()> work) = 0;
  // Work that waits long for the disk, after earlier work of on_disk().
  virtual void on_filing(std::function<void()> work) = 0;
  virtual void on_io(std::function<void()> work) = 0;
};

// Used on the I/O thread. Transport, workers and clock must outlive it; workers also
// their work.
class Pump : public std::enable_shared_from_this<Pump> {
 public:
  Pump(std::unique_ptr<wire::tftp::Session> session, std::shared_ptr<FileEnd> file,
       Transport& transport, std::shared_ptr<Workers> workers, const base::Clock& clock);
  // Hands the file end to the disk pool, to be ended there.
  ~Pump();
  Pump(const Pump&) = delete;
  Pump& operator=(const Pump&) = delete;

  void begin() { feed(wire::tftp::Begin{}); }
  void datagram(base::ByteView bytes) { feed(wire::tftp::Datagram{bytes}); }
  void stop(const std::string& why) { feed(wire::tftp::Stop{why}); }
  // The device began again: this transfer is useless now. Nothing is sent.
  void superseded();
  // Call this at the deadline, or later.
  void tick(base::Instant now);
  std::optional<base::Instant> deadline() const { return session_->deadline(); }

  bool done() const { return session_->done() || superseded_; }
  bool ended() const { return session_->ended() || superseded_; }
  // The peer has answered at least once.
  bool heard() const { return session_->progress().heard; }

 private:
  void feed(wire::tftp::Event event);
  void step(wire::tftp::Event event);
  void tell_progress(base::Instant now, bool at_end);
  void on(wire::tftp::Send& action);
  void on(wire::tftp::SendBlocks& action);
  void on(wire::tftp::ReadFile& action);
  void on(wire::tftp::WriteFile& action);
  void on(wire::tftp::CommitFile& action);
  void on(wire::tftp::Ended& action);
  // Runs on the disk pool, and feeds the result to the session.
  void ask_disk(std::function<wire::tftp::Event(FileEnd&)> work);
  // The same, ready to run anywhere.
  std::function<void()> asking(std::function<wire::tftp::Event(FileEnd&)> work);

  std::unique_ptr<wire::tftp::Session> session_;
  std::shared_ptr<FileEnd> file_;
  Transport& transport_;
  std::shared_ptr<Workers> workers_;
  const base::Clock& clock_;
  wire::tftp::Actions actions_;  // kept for its memory
  std::optional<wire::tftp::Event>
      at_once_;  // an answer that was available without waiting
  wire::tftp::Progress told_;
  base::Instant told_at_{};
  bool superseded_ = false;
};

}  // namespace vantro::serve::tftp
