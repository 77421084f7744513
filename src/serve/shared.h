// What the servers for devices need beside what every server needs.
#pragma once

#include <cstddef>
#include <functional>
#include <map>
#include <memory>
#include <string>

#include "base/mutex.h"
#include "gate/gate.h"
#include "net/tcp_lane.h"
#include "net/tcp_shared.h"

namespace vantro::serve {

// The pools' work must be joined before the gate is destroyed.
struct Services : net::Services {
  net::WorkPool& slow;   // work that may take a minute
  net::WorkPool& doors;  // the checking of passwords
  // The filing of uploads, which waits for the disk: as many are filed together as there
  // are threads.
  net::WorkPool& filing;
  gate::Gate& gate;
};

// Of one server over TCP. Thread-safe.
struct Shared : Services {
  explicit Shared(Services services) : Services(std::move(services)) {}

  // Checks the password on the pool for that, and reports the result there. False if so
  // many wait that this one is not checked: a flood of them is refused, not queued. The
  // same name and password from many devices count once, as only the first takes long.
  bool log_in(const gate::Asker& asker, const std::string& name,
              const std::string& password,
              std::function<void(base::Outcome<std::string>)> then);
  static constexpr const char* kTooManyLogIns =
      "too many passwords are being checked; try again in a moment";

 private:
  static constexpr std::size_t kMostAtTheDoors = 64;

  base::Mutex mutex_;
  // How many wait with the same name and password, by their hash.
  std::map<std::size_t, std::size_t> at_the_doors_ VANTRO_GUARDED_BY(mutex_);
};

gate::Asker asker_of(const net::Accepted& accepted);

// A protocol of devices: those over a limit become contacts. What it is given must
// outlive it.
net::TcpProtocol device_protocol(gate::Gate& gate, std::string name);

// Ends a transfer on the disk pool, together with others that end at this moment.
void finish(net::TcpLane& lane, std::shared_ptr<gate::ReadGrant> grant, gate::State how,
            std::string why);

}  // namespace vantro::serve
