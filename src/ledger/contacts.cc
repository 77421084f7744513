#include "ledger/contacts.h"

#include <algorithm>

namespace vantro::ledger {
namespace {

// Rows about refused requests: enough for a boot loader that tries a dozen names on each
// of two dozen devices, and few enough for a disk.
constexpr double kMostRows = 300;
constexpr double kRowsPerSecond = 1;
constexpr double kMostRowsInAll = 3000;
constexpr double kRowsPerSecondInAll = 20;

}  // namespace

bool Contacts::Bucket::take(base::Instant now, double most, double per_second) {
  const auto passed = std::chrono::duration<double>(now - at).count();
  left = at == base::Instant{} ? most : std::min(most, left + passed * per_second);
  at = now;
  if (left < 1) return false;
  left -= 1;
  return true;
}

Contacts::One& Contacts::touch(const base::Address& address) {
  const auto now = clock_.wall();
  if (const auto found = contacts_.find(address); found != contacts_.end()) {
    found->second.contact.last_at = now;
    return found->second;
  }
  if (contacts_.size() >= kMostAddresses) {
    // Drops the half that was silent for longest.
    std::vector<base::WallTime> times;
    times.reserve(contacts_.size());
    for (const auto& [at, one] : contacts_) times.push_back(one.contact.last_at);
    const auto middle = times.begin() + static_cast<std::ptrdiff_t>(times.size() / 2);
    std::nth_element(times.begin(), middle, times.end());
    std::erase_if(contacts_, [limit = *middle](const auto& one) {
      return one.second.contact.last_at <= limit;
    });
  }
  auto& one = contacts_.emplace(address, One{}).first->second;
  one.contact.address = address;
  one.contact.first_at = one.contact.last_at = now;
  return one;
}

void Contacts::request(const base::Address& address, const std::string& heard_on) {
  const base::Lock lock(mutex_);
  auto& contact = touch(address).contact;
  ++contact.requests;
  if (contact.heard_on != heard_on) contact.heard_on = heard_on;
}

void Contacts::unanswered(const base::Address& address) {
  const base::Lock lock(mutex_);
  ++touch(address).contact.unanswered;
}

void Contacts::stray(const base::Address& address, const std::string& heard_on,
                     const std::string& why) {
  const base::Lock lock(mutex_);
  auto& contact = touch(address).contact;
  ++contact.strays;
  contact.stray_at = contact.last_at;
  if (contact.heard_on != heard_on) contact.heard_on = heard_on;
  if (contact.stray_why != why) contact.stray_why = why;
}

bool Contacts::may_record_refusal(const base::Address& address) {
  const auto now = clock_.now() + base::Duration(1);  // a bucket's zero means unused
  const base::Lock lock(mutex_);
  return touch(address).rows.take(now, kMostRows, kRowsPerSecond) &&
         rows_.take(now, kMostRowsInAll, kRowsPerSecondInAll);
}

std::optional<Contact> Contacts::find(const base::Address& address) const {
  const base::Lock lock(mutex_);
  const auto found = contacts_.find(address);
  if (found == contacts_.end()) return std::nullopt;
  return found->second.contact;
}

std::vector<Contact> Contacts::newest(std::size_t most) const {
  std::vector<Contact> list;
  {
    const base::Lock lock(mutex_);
    list.reserve(contacts_.size());
    for (const auto& [address, one] : contacts_) list.push_back(one.contact);
  }
  std::sort(list.begin(), list.end(),
            [](const Contact& a, const Contact& b) { return a.last_at > b.last_at; });
  if (list.size() > most) list.resize(most);
  return list;
}

}  // namespace vantro::ledger
