// What the other nodes' gates show: their transfers, and who was heard by them. Each node
// writes its own to the database once a second, as long as another one's people look.
#pragma once

#include <cstddef>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "gate/transfers.h"
#include "ledger/contacts.h"
#include "repository/repository.h"

namespace vantro::gate {

// Thread-safe; all of them must outlive it. May wait for the database.
class Boards {
 public:
  // Limits for each node, so that a flood on one does not slow the others down.
  static constexpr std::size_t kMostTransfers = 2000;
  static constexpr std::size_t kMostContacts = 1000;

  Boards(repository::Repository& repository, const Transfers& transfers,
         const ledger::Contacts& contacts)
      : repository_(repository), transfers_(transfers), contacts_(contacts) {}

  // Shows this node's to the others if they look, and reads theirs if somebody looks
  // here. Call it some times a second.
  void tick();

  // This node's and the others', as of the last second or two. The first call after a
  // while waits that long for them. A transfer of another node has an id that none of
  // this one has, and the node's name.
  std::vector<TransferView> transfers();
  // The same without waiting for the others: as they were known last.
  std::vector<TransferView> transfers_known();
  // The last heard first; one for each address.
  std::vector<ledger::Contact> contacts(std::size_t most);
  std::optional<ledger::Contact> contact(const base::Address& address);

 private:
  struct Others {
    base::WallTime at = 0;  // of the oldest board, by the database's clock
    std::vector<TransferView> transfers;
    std::vector<ledger::Contact> contacts;
  };

  std::shared_ptr<const Others> others();
  std::vector<TransferView> with(const Others& others) const;
  base::Outcome<void> show();
  base::Outcome<std::shared_ptr<const Others>> read() const;

  repository::Repository& repository_;
  const Transfers& transfers_;
  const ledger::Contacts& contacts_;
  base::Mutex mutex_;
  std::shared_ptr<const Others> others_ VANTRO_GUARDED_BY(mutex_) =
      std::make_shared<const Others>();
  base::Instant read_at_ VANTRO_GUARDED_BY(mutex_){};
  base::Instant asked_at_ VANTRO_GUARDED_BY(mutex_){};    // the last look
  base::Instant watched_at_ VANTRO_GUARDED_BY(mutex_){};  // since the others know it
  base::Instant shown_at_ VANTRO_GUARDED_BY(mutex_){};
};

}  // namespace vantro::gate
