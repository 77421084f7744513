// netascii (RFC 764, as RFC 1350 uses it): a line feed goes over the wire as CR LF, a
// carriage return as CR NUL. Both directions keep their state between calls, so a pair
// may be split anywhere, also between two blocks. Every byte string survives the way
// there and back.
#pragma once

#include "base/bytes.h"

namespace vantro::wire::tftp {

// Appends the wire form of `bytes`. At most two bytes for one.
void append_netascii(base::ByteBuffer& to, base::ByteView bytes);

class NetasciiDecoder {
 public:
  // Appends the bytes behind `wire`. A carriage return that is followed by neither LF nor
  // NUL is kept.
  void append(base::ByteBuffer& to, base::ByteView wire);
  // The last byte has arrived: a carriage return that waits for its second byte is kept.
  void finish(base::ByteBuffer& to);

 private:
  bool after_return_ = false;
};

}  // namespace vantro::wire::tftp
