// A value that readers get without waiting for writers: each renewal is another immutable
// value. Renewals run one after the other, from reading the last value to publishing the
// next, so that an older one never replaces a newer one.
#pragma once

#include <memory>
#include <utility>

#include "base/mutex.h"
#include "base/outcome.h"

namespace vantro::repository {

// Thread-safe.
template <class T>
class Published {
 public:
  using Shared = std::shared_ptr<const T>;

  // Null before the first renewal.
  Shared get() const {
    // Held for the copying of a pointer only.
    const base::Lock lock(pointer_mutex_);
    return value_;
  }

  // `make(last)` returns the next value, or a refusal, and then the last one stays. It
  // may return the last one.
  template <class Make>
  base::Outcome<void> renew(Make make) {
    const base::Lock renewing(renewing_mutex_);
    base::Outcome<Shared> next = make(get());
    if (!next) return base::refuse(next.error());
    const base::Lock lock(pointer_mutex_);
    // The last holder frees the old one: after this lock, if it is us.
    std::swap(value_, *next);
    return {};
  }

  // A value made of nothing that can change meanwhile.
  void set(Shared next) {
    const base::Lock renewing(renewing_mutex_);
    const base::Lock lock(pointer_mutex_);
    std::swap(value_, next);
  }

 private:
  mutable base::Mutex pointer_mutex_;
  base::Mutex renewing_mutex_ VANTRO_ACQUIRED_BEFORE(pointer_mutex_);
  Shared value_ VANTRO_GUARDED_BY(pointer_mutex_);
};

}  // namespace vantro::repository
