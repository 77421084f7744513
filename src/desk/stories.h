// The stories of addresses: who contacted the server, and the outcome.
#pragma once

#include <cstddef>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "base/address.h"
#include "base/outcome.h"
#include "desk/story.h"
#include "gate/gate.h"
#include "ledger/contacts.h"
#include "repository/repository.h"

namespace vantro::desk {

// One address, and its last outcome.
struct Overview {
  ledger::Contact contact;
  StoryLine last;
  std::string device;  // the owner of the address, or empty
  std::string job;     // the target of its open job, or empty
};

// One address, and all its events.
struct Told {
  std::string device;
  std::string job;
  std::vector<StoryLine> lines;
};

// May wait for the database. Thread-safe; repository and gate must outlive it.
class Stories {
 public:
  Stories(repository::Repository& repository, gate::Gate& gate)
      : repository_(repository), gate_(gate) {}

  // The known addresses, the last first, each with its last event.
  base::Outcome<std::vector<Overview>> overview(std::size_t most) const;
  // The events of one address, in the order of time. kNotFound if it was never heard.
  base::Outcome<Told> of(const base::Address& address) const;

 private:
  std::map<std::string, std::vector<gate::TransferView>> running() const;
  std::optional<Absence> absence_after(const ledger::Entry& entry) const;
  base::Outcome<void> add_kits(Known& known) const;
  base::Outcome<void> add_job(Known& known, const std::string& device) const;

  repository::Repository& repository_;
  gate::Gate& gate_;
};

}  // namespace vantro::desk
