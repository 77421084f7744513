// Whether a file exists to prove others: a checksum list, a signature, or a key. Makers
// name such files in many ways, so their content decides.
#pragma once

#include <string_view>

namespace vantro::crypto {

enum class FileForm {
  kOther,
  kChecksumList,  // at least half of its lines with content are checksums
  kSignature,     // minisign's or OpenPGP's (RFC 4880, 4.2, 5.2, 6.2), text or binary
  kKey,           // a public or secret key in either format
};

// Checksum lists are not longer than this, in bytes.
inline constexpr std::size_t kLongestList = 16 << 20;

// `text` is the whole file, or more than kLongestList bytes of it.
FileForm form_of(std::string_view text);

// What a file of this name should be: "SHA256SUMS", "x.img.md5", "checksums.txt",
// "x.img.sig" and the like. Never kKey.
FileForm form_by_name(std::string_view name);

// "a checksum list", "a signature", "a key"; "a file" for kOther.
const char* title(FileForm form);

}  // namespace vantro::crypto
