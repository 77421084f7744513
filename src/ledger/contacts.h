// Which addresses were heard lately, and how often: information that the ledger's rows
// lack. Datagrams that are not requests and requests over a limit leave their trace here,
// so that a flood of them cannot fill the disk. In memory only; bounded; thread-safe, and
// cheap enough for an I/O thread.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/mutex.h"

namespace vantro::ledger {

struct Contact {
  base::Address address;
  base::WallTime first_at = 0;
  base::WallTime last_at = 0;
  std::string heard_on;          // the listener and the network interface
  std::uint64_t requests = 0;    // understood, whatever their outcome
  std::uint64_t unanswered = 0;  // of them: over a limit, so they got no answer
  std::uint64_t strays = 0;      // packets that were not requests, or led to none
  base::WallTime stray_at = 0;   // the last of them
  std::string stray_why;         // and the error in it
};

class Contacts {
 public:
  static constexpr std::size_t kMostAddresses = 8192;

  // `clock` must outlive it.
  explicit Contacts(const base::Clock& clock) : clock_(clock) {}

  void request(const base::Address& address, const std::string& heard_on);
  void unanswered(const base::Address& address);
  void stray(const base::Address& address, const std::string& heard_on,
             const std::string& why);

  // Whether one more row about a refused request of this address may go to the ledger.
  // Uses one up, if so.
  bool may_record_refusal(const base::Address& address);

  std::optional<Contact> find(const base::Address& address) const;
  // The last heard first.
  std::vector<Contact> newest(std::size_t most) const;

 private:
  // Fills up again with time.
  struct Bucket {
    double left = 0;
    base::Instant at{};
    bool take(base::Instant now, double most, double per_second);
  };
  struct One {
    Contact contact;
    Bucket rows;
  };

  One& touch(const base::Address& address) VANTRO_REQUIRES(mutex_);

  const base::Clock& clock_;
  mutable base::Mutex mutex_;
  std::map<base::Address, One> contacts_ VANTRO_GUARDED_BY(mutex_);
  Bucket rows_ VANTRO_GUARDED_BY(mutex_);  // of all addresses together
};

}  // namespace vantro::ledger
