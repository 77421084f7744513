// A TFTP server and one client over a simulated network under a virtual clock: no
// sockets, no waiting. The server is the project's machines, found by port and transfer
// identifier as the real one finds them; the client is either a model of its own, with
// habits that can be as odd as real clients', or the project's opposite machine.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <random>
#include <string>
#include <vector>

#include "tests/fakes/sim_clock.h"
#include "wire/tftp/packet.h"
#include "wire/tftp/read_session.h"
#include "wire/tftp/repeated_request.h"
#include "wire/tftp/write_session.h"

namespace vantro::fakes {

namespace tftp = wire::tftp;

// What becomes of one datagram: the delays after which copies arrive; none: it is lost.
using Fate = std::vector<base::Duration>;

struct Habits {
  bool write = false;
  bool netascii = false;
  tftp::Options options;         // as they are asked for
  bool project_machine = false;  // the other side is the project's own, too
  base::Duration timeout = std::chrono::milliseconds(1500);
  int most_tries = 24;

  // Odd ones:
  bool acknowledges_twice = false;
  base::Duration answers_late{};
  bool never_acknowledges_options = false;
  bool repeats_request = false;  // when data has begun
  bool changes_port = false;     // after its request
  bool forgets_window = false;   // acknowledges, or sends, block by block
  bool acknowledges_inside = false;
  bool acknowledges_copies = false;           // of any block that it has, as atftp does
  std::optional<std::uint64_t> silent_after;  // blocks
};

struct SimResult {
  bool client_complete = false;  // by what the client saw
  bool server_complete = false;  // so the server called it
  bool whole = false;            // complete, and not short of the announced size
  bool server_ended = false;     // all its transfers are over
  std::string client_bytes;      // reads: what the client has
  std::string server_bytes;      // writes: what the server filed
  std::size_t server_datagrams = 0;
  std::size_t server_blocks = 0;  // DATA packets
  std::size_t client_datagrams = 0;
  std::size_t transfers = 0;  // that the server opened
  std::size_t most_held = 0;  // bytes of file in a machine's memory
  base::Duration took{};      // from the request to the client's end
  base::Duration outlived{};  // from the client's last datagram to the server's end
};

class SimTftp {
 public:
  // Decides a datagram's fate, by its number in the run from 0.
  using Network = std::function<Fate(std::size_t number)>;
  // May cut a datagram short.
  using Damage = std::function<void(base::ByteBuffer&)>;

  SimTftp(std::string file, Habits habits, Network network,
          std::function<base::Duration()> disk_delay)
      : file_(std::move(file)),
        habits_(std::move(habits)),
        network_(std::move(network)),
        disk_delay_(std::move(disk_delay)) {}

  void set_damage(Damage damage) { damage_ = std::move(damage); }
  // Another sender of files than the project's, to compare with.
  using Sender = std::function<std::unique_ptr<tftp::Session>(const tftp::Terms&,
                                                              std::uint64_t size)>;
  void set_sender(Sender sender) { sender_ = std::move(sender); }

  SimResult run();

 private:
  static constexpr int kClientPort = 2000;
  static constexpr int kOtherClientPort = 2001;
  static constexpr int kListener = 69;
  static constexpr base::Duration kLongestRun = std::chrono::hours(6);

  // -- The server: what serve/tftp is around the machines --
  struct Transfer {
    int peer_port = 0;
    tftp::Request request;
    std::unique_ptr<tftp::Session> session;
    std::optional<int> before;  // another transfer that goes on until this one is heard
    std::string written;
    std::uint64_t handed_out = 0;  // reads: bytes of file given to the machine
    base::Instant disk_free_at{};
    bool ended = false;
  };
  void server_gets(int from, int to, const base::ByteBuffer& bytes);
  void requested(int from, const tftp::Request& request);
  void feed(int id, tftp::Event event);
  void carry_out(int id, tftp::Send& send);
  void carry_out(int id, tftp::SendBlocks& blocks);
  void carry_out(int id, tftp::ReadFile& read);
  void carry_out(int id, tftp::WriteFile& write);
  void carry_out(int id, tftp::CommitFile& commit);
  void carry_out(int id, tftp::Ended& ended);
  void supersede(int id);
  void note_memory(const Transfer& transfer);

  // -- The client --
  void client_gets(int from, int to, const base::ByteBuffer& bytes);
  void reader_gets(const tftp::Packet& packet);
  void writer_gets(const tftp::Packet& packet);
  void machine_gets(const tftp::Packet& packet, const base::ByteBuffer& bytes);
  void machine_step(tftp::Event event);
  void accept(const tftp::OptionAck& options);
  void client_says(const base::ByteBuffer& bytes, bool keeps);
  void client_timeout();
  void send_window();
  void end_client(bool complete);
  void ack(std::uint64_t block, bool keeps = true);

  void later(base::Duration delay, std::function<void()> work) {
    queue_.emplace(clock_.now() + delay, std::move(work));
  }
  void through_network(base::ByteBuffer bytes,
                       const std::function<void(const base::ByteBuffer&)>& arrive);

  std::string file_;
  Habits habits_;
  Network network_;
  std::function<base::Duration()> disk_delay_;
  Damage damage_;
  Sender sender_ = [](const tftp::Terms& terms, std::uint64_t size) {
    return std::make_unique<tftp::ReadSession>(terms, size, tftp::Patience{}, 7);
  };
  SimClock clock_;
  std::multimap<base::Instant, std::function<void()>> queue_;
  std::size_t datagrams_ = 0;
  SimResult result_;

  std::map<int, Transfer> transfers_;  // by transfer identifier, the server's port
  std::map<int, int> by_peer_;         // the newest of a client port
  int last_id_ = 30000;
  base::Instant server_done_at_{};

  std::string wire_bytes_;  // of the file, in the mode's form
  int client_port_ = kClientPort;
  std::optional<int> server_port_;  // the transfer identifier it talks to
  std::size_t block_size_ = 512;
  std::size_t window_ = 1;
  std::optional<std::uint64_t> told_size_;
  std::uint64_t block_ = 0;  // read: taken in order; write: acknowledged
  std::uint64_t in_window_ = 0;
  bool gap_told_ = false;
  bool begun_ = false;     // the first answer has come
  bool repeated_ = false;  // the request, when data had begun
  bool client_done_ = false;
  std::string taken_;  // reads: bytes as they came
  base::ByteBuffer last_said_;
  base::Instant client_due_{};
  base::Instant client_last_spoke_{};
  int tries_ = 0;
  std::unique_ptr<tftp::Session> machine_;
  std::string machine_bytes_;
};

}  // namespace vantro::fakes
