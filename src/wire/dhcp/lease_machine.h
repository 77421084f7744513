// A DHCP and BOOTP server for one interface, as a machine (RFC 2131, 951, 1542): messages
// and deadlines in, replies, probes and reports for people out. No socket, clock or
// thread of its own.
//
//   DISCOVER -> probe the address -> OFFER -> REQUEST -> ACK ... renewals ... RELEASE
//
// An address is probed on the network before it is leased for the first time (RFC 2131,
// 2.2): a device that nobody knows of may have it. It is leased to nobody else until its
// lease has expired, whatever is lost on the way.
//
// A client is known by its link address, not by its identifier (option 61), against RFC
// 2131, 4.2: the stages of one boot give different identifiers, and each would take an
// address of a pool that may have only one. Only without a link address does the
// identifier count.
//
// Not thread-safe.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <utility>
#include <variant>
#include <vector>

#include "base/address.h"
#include "base/bytes.h"
#include "base/clock.h"
#include "base/link_address.h"
#include "wire/dhcp/frame.h"
#include "wire/dhcp/message.h"

namespace vantro::wire::dhcp {

// Which file a client is told to load. An empty condition matches every client.
struct BootFile {
  std::optional<std::uint16_t> architecture;  // option 93
  std::string user_class;                     // option 77
  std::string vendor_class;                   // the beginning of option 60
  std::string file;  // "{link}", "{serial}" and "{device}" mean the client's own
};

// An expected client, by its link address or by a serial number that it gives in one of
// the options 12, 60, 61, 124 and 125.
struct Guest {
  std::optional<base::LinkAddress> link;
  std::string serial;
  std::string device;                    // its name for people, or empty
  std::optional<base::Address> address;  // its own; else one from the pool
};

// Who gets an address.
enum class Admission {
  kGuests,  // expected ones
  kFirst,   // the first that asks, and no other after it
  kAnybody,
};

struct LeasePlan {
  base::Address server = nowhere();  // this server's own address on the interface
  unsigned prefix = 24;              // of its network
  std::vector<base::Address> pool;   // leased in this order; each once
  std::vector<Guest> guests;
  Admission admission = Admission::kFirst;
  base::Duration lease = std::chrono::minutes(10);
  // The server's end. No lease is longer than that, except for a minute at least.
  std::optional<base::Instant> ends;
  std::vector<base::Address> routers, name_servers, time_servers;
  std::vector<base::Address> tftp_servers;  // option 150; empty: this server
  std::string domain;
  std::string vendor_class;           // option 60 of the answers; empty: none
  base::ByteBuffer vendor;            // option 43
  base::ByteBuffer vendor_by_number;  // option 125
  std::vector<BootFile> files;        // the first match counts
  bool relays = false;                // whether requests through a relay are answered
};

// A client's own description.
struct Client {
  std::string name;  // its link address, or its identifier in hexadecimal
  std::optional<base::LinkAddress> link;
  std::string vendor_class, host_name;
  std::vector<std::string> user_classes;
  std::optional<std::uint16_t> architecture;
  bool bootp = false;
  std::string serial, device;  // the guest's
};

// -- Events --

struct Heard {
  Message message;
  base::LinkAddress from_link;  // of the frame: the client's, or a relay's
  base::Address from;           // of the datagram
};
struct AddressInUse {  // the answer to a probe
  base::Address address;
  base::LinkAddress by;
};
struct DeadlinePassed {};
using Event = std::variant<Heard, AddressInUse, DeadlinePassed>;

// -- Actions --

struct Reply {
  Message message;
  std::size_t longest = kUsualMessage;  // of the datagram, in bytes
  base::LinkAddress to_link;
  base::Endpoint to;
};
struct ProbeAddress {
  base::Address address;
};
struct Told {
  enum class What {
    kAsked,  // by a client that gets an address
    kOffered,
    kGiven,  // acknowledged
    kRenewed,
    kRefused,  // `why`
    kReleased,
    kDeclined,     // the client found the address in use
    kInUse,        // a probe found it in use, by `other`
    kChoseOther,   // the client took the offer of the address server `other`
    kOtherServer,  // the address server `other` answers on this network
  };
  What what;
  Client client;
  std::optional<base::Address> address;
  std::string file;   // for the client to load, or empty
  std::string other;  // an address, or a link address
  std::string why;    // a sentence
};
using Action = std::variant<Reply, ProbeAddress, Told>;
using Actions = std::vector<Action>;

class LeaseMachine {
 public:
  // How long to wait for an answer to a probe (RFC 5227 has up to seven seconds; a boot
  // loader gives up after three), and how long an offer is valid.
  static constexpr base::Duration kProbeTime = std::chrono::milliseconds(400);
  static constexpr base::Duration kOfferStands = std::chrono::seconds(60);
  // An address in use elsewhere is not tried again before.
  static constexpr base::Duration kInUseFor = std::chrono::minutes(10);
  // How many refused clients are remembered.
  static constexpr std::size_t kMostRefused = 256;
  static constexpr base::Duration kTellAgain = std::chrono::minutes(1);

  explicit LeaseMachine(LeasePlan plan);

  void step(const Event& event, base::Instant now, Actions& actions);
  std::optional<base::Instant> deadline() const;

 private:
  enum class State { kProbing, kOffered, kBound };
  struct Lease {
    Client client;
    base::Address address;
    State state = State::kProbing;
    base::Instant until;  // probing: when it counts as free
    bool was_bound = false;
    // The answer for the end of the probe.
    std::optional<Heard> asked;
  };

  void on(const Heard& event, base::Instant now, Actions& actions);
  void on(const AddressInUse& event, base::Instant now, Actions& actions);
  void on(const DeadlinePassed& event, base::Instant now, Actions& actions);

  void server_heard(const Message& message, base::Instant now, Actions& actions);
  void discover(const Heard& event, const Client& client, base::Instant now,
                Actions& actions);
  void request(const Heard& event, const Client& client, base::Instant now,
               Actions& actions);
  void chose_other(const Client& client, const base::Address& server, Actions& actions);
  void decline(const Heard& event, const Client& client, base::Instant now,
               Actions& actions);
  void inform(const Heard& event, const Client& client, base::Instant now,
              Actions& actions);
  // Begins to probe an address for the client; false: there is none.
  bool choose(const Heard& event, const Client& client, base::Instant now,
              Actions& actions);
  // The probe is over, and nobody has the address.
  void is_free(Lease& lease, base::Instant now, Actions& actions);
  void acknowledge(Lease& lease, const Heard& event, base::Instant now, Actions& actions);
  void refuse_request(const Heard& event, const Client& client, const std::string& why,
                      base::Instant now, Actions& actions);
  void drop(const std::string& client);
  // Every change of Lease::until.
  void set_until(Lease& lease, base::Instant until);
  void expire(base::Instant now);

  // Why the client gets none; empty: it does.
  std::string turned_away(const Client& client) const;
  const Guest* guest_of(const Message& message) const;
  Client client_of(const Message& message) const;
  std::string file_for(const Client& client) const;
  bool usable(const base::Address& address, const Client& client,
              base::Instant now) const;
  std::uint32_t lease_seconds(base::Instant now) const;
  Message answer_to(const Message& message, const Client& client,
                    const std::optional<base::Address>& yours, std::optional<Type> type,
                    base::Instant now) const;
  void send(Message answer, const Heard& event, Actions& actions) const;
  void tell_refused(const Client& client, const std::string& why, base::Instant now,
                    Actions& actions);

  const LeasePlan plan_;
  std::map<std::string, Lease> by_client_;
  std::string first_;  // Admission::kFirst: the session's client; empty: none yet
  std::map<base::Address, std::string> by_address_;
  std::set<std::pair<base::Instant, std::string>> due_;  // Lease::until of each client
  std::map<base::Address, base::Instant> in_use_;        // in use elsewhere; until when
  std::map<std::string, base::Instant> refused_;         // the last report of that
  std::map<base::Address, base::Instant> others_;  // address servers; the last report
};

// One line for people: "02:00:5e:10:00:01 asked for an address (ARM 32-bit boot loader)".
std::string sentence(const Told& told);

}  // namespace vantro::wire::dhcp
