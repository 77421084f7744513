// One accepted connection and everything on it, as its lane sees it.
#pragma once

#include <memory>
#include <string>

#include "base/clock.h"

namespace vantro::net {

// Used on its lane's thread.
class Conversation : public std::enable_shared_from_this<Conversation> {
 public:
  virtual ~Conversation() = default;
  // False: it cannot be watched, and is useless.
  virtual bool start() = 0;
  // Called often: checks deadlines and progress.
  virtual void tick(base::Instant now) = 0;
  // Begins nothing new after the running request; closes at once if there is none.
  virtual void wind_up() = 0;
  // Ends everything.
  virtual void cut(const std::string& why) = 0;
};

}  // namespace vantro::net
