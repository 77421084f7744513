// A state folder with years behind it, made the short way: in the database only.
#pragma once

#include <cstdint>
#include <string>

namespace vantro::repository {
struct Repository;
}  // namespace vantro::repository

namespace vantro::bench {

struct History {
  int devices = 10'000;  // a multiple of 100
  int revisions_of_each = 100;
  int size = 30'000;  // bytes of each revision
  // Each revision has a file of its own in the vault (a link, to spare the disk), under
  // a name that is not its SHA-256; else all are one.
  bool own_contents = false;
  int ledger_rows = 0;  // a multiple of 100,000
};

// `state`: the folder's path; there must be nothing. A device is named "device-00007" and
// has a revision for each day up to yesterday. Returns the seconds in which the database
// goes through its files once.
double make_history(const std::string& state, const History& history);

// Stores a file of so many bytes, without a record, and returns its SHA-256.
std::string store_one(repository::Repository& repository, int size);
// Files of the vault that are links to a stored one, to spare the disk: with the numbers
// from `first` on, each under the name "%02x%062x" of (number % 256, number).
void link_contents(const std::string& state, const std::string& stored,
                   std::int64_t first, std::int64_t count);

// The address that device's rows of the ledger come from.
std::string address_of_device(int device);

}  // namespace vantro::bench
