// Actions outside of the core that a rescue session needs: this room opens no socket, so
// it gets this interface (daemon/rescue_hands).
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/address.h"
#include "base/link_address.h"
#include "base/outcome.h"
#include "gate/grants.h"
#include "jobs/rescue/checks.h"
#include "jobs/rescue/session.h"

namespace vantro::desk {

// An expected device.
struct Guest {
  std::optional<base::LinkAddress> link;
  std::string serial;
  std::string device;
  std::optional<base::Address> address;
};

enum class Admission { kGuests, kFirst, kAnybody };

// Events of the address server.
struct AddressTold {
  enum class What {
    kAsked,
    kGot,      // `address`
    kRefused,  // also: another address server is there
    kOther,    // any other event worth a line
  };
  What what = What::kOther;
  std::string sentence;
  base::Address address = base::Address::v4(0);
};

struct Opening {
  jobs::rescue::Session session;
  jobs::rescue::Profile profile;
  std::vector<Guest> guests;
  Admission admission = Admission::kFirst;
  // Called on any thread; must not wait.
  std::function<void(AddressTold)> tell;
};

// How an image is sent to a device that waits for it.
struct PushOrder {
  base::Endpoint to;
  std::string protocol;
  std::string name;
  std::string interface;
  base::Duration wait = std::chrono::minutes(10);
  std::size_t block_size = 1428;
  std::size_t window_size = 1;
  std::string account, password;
  bool post = false;
  std::string fingerprint;
};

struct PushView {
  std::uint64_t id = 0;
  bool running = true;
  bool listens = false;
  bool complete = false;
  std::string why;
  std::string fingerprint;  // that the device has shown
};

// A network interface of this machine, for people's choice.
struct WireInterface {
  std::string name;
  bool up = false;
  bool carrier = false;
  std::string link_address;
  std::vector<std::string> addresses;  // with the length of the prefix
};

// Sockets that are open for one session; they close with it.
class OpenWire {
 public:
  virtual ~OpenWire() = default;
};

// Thread-safe.
class RescueHands {
 public:
  virtual ~RescueHands() = default;

  // Ethernet ones, by name.
  virtual std::vector<WireInterface> interfaces() = 0;
  // `ask_others`: whether to ask for other address servers, which takes four seconds.
  virtual jobs::rescue::WireFacts look(const std::string& interface,
                                       const jobs::rescue::Profile& profile,
                                       bool ask_others) = 0;
  // For so long at most, whatever happens to this program.
  virtual base::Outcome<void> add_address(const std::string& interface,
                                          const base::Address& address, unsigned prefix,
                                          std::chrono::seconds hold) = 0;
  // Nothing if the interface does not exist.
  virtual void remove_address(const std::string& interface, const base::Address& address,
                              unsigned prefix) = 0;
  virtual base::Outcome<std::unique_ptr<OpenWire>> open(Opening opening) = 0;
  // Waits up to a second.
  virtual bool answers(const base::Address& address, std::uint16_t port,
                       const std::string& interface) = 0;

  // Returns at once; the id is that of the transfer.
  virtual base::Outcome<std::uint64_t> push(
      gate::ReadGrant grant, PushOrder order,
      std::function<void(const PushView&)> ended) = 0;
  virtual std::optional<PushView> find_push(std::uint64_t id) const = 0;
  virtual bool end_push(std::uint64_t id) = 0;
};

}  // namespace vantro::desk
