// One accepted connection and all that is said over it, as its lane sees it.
#pragma once

#include <memory>
#include <string>

#include "base/clock.h"

namespace vantro::net {

// Used on its lane's thread.
class Conversation : public std::enable_shared_from_this<Conversation> {
 public:
  virtual ~Conversation() = default;
  // False: it can't be watched, and is of no use.
  virtual bool start() = 0;
  // Called often: deadlines and progress.
  virtual void tick(base::Instant now) = 0;
  // Begins nothing more after what runs; closes at once if nothing does.
  virtual void wind_up() = 0;
  // Ends whatever runs.
  virtual void cut(const std::string& why) = 0;
};

}  // namespace vantro::net
