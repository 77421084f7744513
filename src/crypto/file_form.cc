#include "crypto/file_form.h"

#include <algorithm>
#include <cstdint>
#include <optional>

#include "base/visible_name.h"
#include "crypto/checksum_list.h"

namespace vantro::crypto {
namespace {

constexpr std::size_t kLongestProof = 1 << 20;

std::uint8_t byte_at(std::string_view bytes, std::size_t at) {
  return static_cast<std::uint8_t>(bytes[at]);
}

// The first packet of binary OpenPGP (RFC 4880, 4.2): its tag, and the bytes after it.
struct Packet {
  unsigned tag;
  std::string_view body;
  std::string_view rest;
};

std::optional<Packet> first_packet(std::string_view bytes) {
  if (bytes.size() < 2 || (byte_at(bytes, 0) & 0x80) == 0) return std::nullopt;
  const auto first = byte_at(bytes, 0);
  unsigned tag = 0;
  std::size_t head = 0;
  std::size_t length = 0;
  const auto number = [&](std::size_t from, std::size_t count) {
    std::size_t value = 0;
    for (std::size_t i = 0; i < count; ++i) value = value << 8 | byte_at(bytes, from + i);
    return value;
  };
  if ((first & 0x40) != 0) {
    tag = first & 0x3f;
    const auto second = byte_at(bytes, 1);
    head = second < 192 ? 2 : second < 224 ? 3 : second == 255 ? 6 : 0;
    if (head == 0 || bytes.size() < head) return std::nullopt;
    length = head == 2   ? second
             : head == 3 ? (second - 192u) * 256 + byte_at(bytes, 2) + 192
                         : number(2, 4);
  } else {
    tag = first >> 2 & 0x0f;
    const unsigned kind = first & 3;
    if (kind == 3) return std::nullopt;  // of no stated length: not used for these
    head = 1 + (std::size_t{1} << kind);
    if (bytes.size() < head) return std::nullopt;
    length = number(1, head - 1);
  }
  if (length == 0 || length > bytes.size() - head) return std::nullopt;
  return Packet{tag, bytes.substr(head, length), bytes.substr(head + length)};
}

// All of it must be packets, so that other bytes rarely match.
std::optional<FileForm> binary_openpgp(std::string_view bytes) {
  std::optional<FileForm> form;
  while (!bytes.empty()) {
    const auto packet = first_packet(bytes);
    if (!packet) return std::nullopt;
    if (!form) {
      const auto version = byte_at(packet->body, 0);
      if (version < 3 || version > 6) return std::nullopt;
      if (packet->tag == 2) form = FileForm::kSignature;
      if (packet->tag == 5 || packet->tag == 6) form = FileForm::kKey;
      if (!form) return std::nullopt;
    }
    bytes = packet->rest;
  }
  return form;
}

std::optional<FileForm> text_proof(std::string_view text) {
  if (text.starts_with("untrusted comment:")) {
    // A signature has more after its second line (a trusted comment).
    return text.find("\ntrusted comment:") == std::string_view::npos
               ? FileForm::kKey
               : FileForm::kSignature;
  }
  if (text.starts_with("-----BEGIN PGP SIGNED MESSAGE-----")) {
    return FileForm::kChecksumList;
  }
  if (text.starts_with("-----BEGIN PGP SIGNATURE-----")) return FileForm::kSignature;
  if (text.starts_with("-----BEGIN PGP ")) return FileForm::kKey;
  return std::nullopt;
}

bool is_checksum_list(std::string_view text) {
  // Anything but text is recognised by its beginning, without reading lines.
  const auto beginning = text.substr(0, 4096);
  if (beginning.find('\0') != std::string_view::npos) return false;
  const auto list = parse_checksum_list(text);
  return list && list->checksums.size() >= list->ignored;
}

}  // namespace

FileForm form_of(std::string_view text) {
  if (text.empty() || text.size() > kLongestList) return FileForm::kOther;
  if (text.size() <= kLongestProof) {
    if (const auto binary = binary_openpgp(text)) return *binary;
  }
  if (text.starts_with("\xef\xbb\xbf")) text.remove_prefix(3);
  if (const auto proof = text_proof(text)) return *proof;
  return is_checksum_list(text) ? FileForm::kChecksumList : FileForm::kOther;
}

FileForm form_by_name(std::string_view name) {
  auto folded = base::folded(base::last_part(name));
  for (const auto* end : {".asc", ".sig", ".minisig"}) {
    if (folded.ends_with(end)) return FileForm::kSignature;
  }
  if (folded.ends_with(".txt")) folded.resize(folded.size() - 4);
  bool list = folded == "checksum" || folded == "checksums" ||
              folded.ends_with(".checksum") || folded.ends_with(".checksums");
  for (const std::string algorithm : {"md5", "sha1", "sha256", "sha512"}) {
    list = list || folded.starts_with(algorithm + "sum");
    for (const auto* end : {"", "s", "sum", "sums"}) {
      list = list || folded.ends_with("." + algorithm + end);
    }
  }
  return list ? FileForm::kChecksumList : FileForm::kOther;
}

const char* title(FileForm form) {
  switch (form) {
    case FileForm::kOther:
      return "a file";
    case FileForm::kChecksumList:
      return "a checksum list";
    case FileForm::kSignature:
      return "a signature";
    case FileForm::kKey:
      return "a key";
  }
  return "a file";
}

}  // namespace vantro::crypto
