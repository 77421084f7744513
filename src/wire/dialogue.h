// The protocol in one SSH channel, on the server's side: bytes in, bytes out, and in the
// end an exit status. No socket, thread or clock of its own.
#pragma once

#include <cstddef>
#include <optional>
#include <string>

#include "base/bytes.h"
#include "base/outcome.h"
#include "wire/files.h"

namespace vantro::wire {

// How a client's side of the channel ended.
enum class InputEnd {
  kGone,             // with the connection, or the server cuts it
  kSaid,             // it has sent its end of data
  kSaidAndHeardAll,  // and its system has acknowledged everything that was sent to it
};

class Dialogue {
 public:
  virtual ~Dialogue() = default;

  // False while it has enough to do: the client should wait.
  virtual bool wants() const = 0;
  // However many there are.
  virtual void take(base::ByteView bytes) = 0;
  // The client sends no more. Once.
  virtual void input_ended(InputEnd how) = 0;
  // Appends the next bytes to send: about `most` if there are as many.
  virtual void say(base::ByteBuffer& to, std::size_t most) = 0;
  // Answers of Files.
  virtual void synced(FileHandle handle, const base::Outcome<void>& done) = 0;
  virtual void filed(FileHandle handle, const base::Outcome<void>& done) = 0;
  // Nothing has arrived for a second.
  virtual void quiet() = 0;
  // Messages for the person at the client, beside the protocol; each once.
  virtual std::string remark() = 0;
  // The exit status, when nothing more will be sent.
  virtual std::optional<int> over() const = 0;
};

}  // namespace vantro::wire
