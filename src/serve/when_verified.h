// Opens a file for reading whose bytes may have to be verified first.
#pragma once

#include <functional>
#include <string>
#include <utility>

#include "gate/gate.h"

namespace vantro::serve {

using Work = std::function<void()>;

// Gives `open` to `post`, which runs it on the disk pool; and once more if the bytes
// behind the name must be verified first, so that no thread of the pool waits for that.
inline void when_verified(gate::Gate& gate, const gate::Asker& asker,
                          const std::string& name, const std::function<void(Work)>& post,
                          Work open) {
  post([&gate, asker, name, post, open = std::move(open)] {
    if (!gate.verify_first(asker, name, [post, open] { post(open); })) open();
  });
}

}  // namespace vantro::serve
