// SFTP: arbitrary bytes as packets of one session. The first byte says how they are
// split.
#include <cstdint>

#include "fuzz/files_that_answer.h"
#include "wire/sftp/session.h"

using namespace vantro;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size < 1) return 0;
  const base::ByteView all(data + 1, size - 1);
  fuzz::FilesThatAnswer files;
  wire::sftp::Session session(files);
  fuzz::talk(session, files, all, data[0] == 0 ? all.size() + 1 : data[0]);
  fuzz::must(files.all_ended());
  return 0;
}
