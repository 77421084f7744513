// Small sound files of every kind that can be looked into, made by the libraries that
// other programs use, so that the look and its test are not the same code.
#pragma once

#include <algorithm>
#include <archive.h>
#include <archive_entry.h>
#include <cstdint>
#include <cstring>
#include <libfdt.h>
#include <stdexcept>
#include <string>
#include <utility>
#include <vector>
#include <zlib.h>
#include <zstd.h>

#include "crypto/digests.h"

namespace vantro::probe::samples {

inline std::string noise(std::size_t size) {
  std::string text(size, '\0');
  std::uint32_t state = 1;
  for (auto& c : text) {
    state = state * 1664525 + 1013904223;
    c = static_cast<char>(state >> 24);
  }
  return text;
}

// `format`: "ustar", "newc", "zip", "iso9660" or "raw"; `filter`: "none", "gzip", "xz",
// "bzip2" or "zstd".
inline std::string archive(
    const char* format, const char* filter,
    const std::vector<std::pair<std::string, std::string>>& members) {
  std::string out(8 << 20, '\0');
  std::size_t used = 0;
  auto* a = ::archive_write_new();
  ::archive_write_set_format_by_name(a, format);
  if (std::strcmp(filter, "none") != 0) ::archive_write_add_filter_by_name(a, filter);
  ::archive_write_set_bytes_in_last_block(a, 1);
  if (::archive_write_open_memory(a, out.data(), out.size(), &used) != ARCHIVE_OK) {
    throw std::runtime_error(::archive_error_string(a));
  }
  for (const auto& [path, bytes] : members) {
    auto* entry = ::archive_entry_new();
    ::archive_entry_set_pathname(entry, path.c_str());
    ::archive_entry_set_size(entry, static_cast<la_int64_t>(bytes.size()));
    ::archive_entry_set_filetype(entry, AE_IFREG);
    ::archive_entry_set_perm(entry, 0644);
    ::archive_write_header(a, entry);
    ::archive_write_data(a, bytes.data(), bytes.size());
    ::archive_entry_free(entry);
  }
  if (::archive_write_close(a) != ARCHIVE_OK) {
    throw std::runtime_error(::archive_error_string(a));
  }
  ::archive_write_free(a);
  out.resize(used);
  return out;
}

// As the zstd program does it.
inline std::string zstd_with_checksum(const std::string& bytes) {
  std::string out(ZSTD_compressBound(bytes.size()), '\0');
  auto* context = ZSTD_createCCtx();
  ZSTD_CCtx_setParameter(context, ZSTD_c_checksumFlag, 1);
  out.resize(ZSTD_compress2(context, out.data(), out.size(), bytes.data(), bytes.size()));
  ZSTD_freeCCtx(context);
  return out;
}

inline std::string compressed(const char* filter, const std::string& bytes) {
  if (std::strcmp(filter, "zstd") == 0) return zstd_with_checksum(bytes);
  return archive("raw", filter, {{"data", bytes}});
}

inline void put_word(std::string& to, std::size_t at, std::uint32_t value) {
  for (std::size_t i = 0; i < 4; ++i) {
    to[at + i] = static_cast<char>(value >> (24 - 8 * i));
  }
}

inline std::uint32_t crc_of(const std::string& bytes) {
  return static_cast<std::uint32_t>(::crc32(
      0, reinterpret_cast<const Bytef*>(bytes.data()), static_cast<uInt>(bytes.size())));
}

inline std::string boot_image(const std::string& name, const std::string& data) {
  std::string header(64, '\0');
  put_word(header, 0, 0x27051956);
  put_word(header, 12, static_cast<std::uint32_t>(data.size()));
  put_word(header, 24, crc_of(data));
  std::copy_n(name.begin(), std::min<std::size_t>(32, name.size()), header.begin() + 32);
  put_word(header, 4, crc_of(header));
  return header + data;
}

// With one image, hashed in two ways.
inline std::string image_tree(const std::string& description, const std::string& data) {
  std::string out(data.size() + 4096, '\0');
  void* fdt = out.data();
  const auto check = [](int result) {
    if (result < 0) throw std::runtime_error(fdt_strerror(result));
  };
  crypto::Digester digester;
  digester.update(base::as_bytes(data));
  const auto sha256 = base::from_hex(digester.finish().sha256).value();
  check(fdt_create(fdt, static_cast<int>(out.size())));
  check(fdt_finish_reservemap(fdt));
  check(fdt_begin_node(fdt, ""));
  check(fdt_property_string(fdt, "description", "demo"));
  check(fdt_begin_node(fdt, "images"));
  check(fdt_begin_node(fdt, "kernel-1"));
  check(fdt_property_string(fdt, "description", description.c_str()));
  check(fdt_property(fdt, "data", data.data(), static_cast<int>(data.size())));
  check(fdt_begin_node(fdt, "hash-1"));
  check(fdt_property_string(fdt, "algo", "crc32"));
  check(fdt_property_u32(fdt, "value", crc_of(data)));
  check(fdt_end_node(fdt));
  check(fdt_begin_node(fdt, "hash-2"));
  check(fdt_property_string(fdt, "algo", "sha256"));
  check(fdt_property(fdt, "value", sha256.data(), static_cast<int>(sha256.size())));
  check(fdt_end_node(fdt));
  check(fdt_end_node(fdt));
  check(fdt_end_node(fdt));
  check(fdt_end_node(fdt));
  check(fdt_finish(fdt));
  out.resize(fdt_totalsize(fdt));
  return out;
}

}  // namespace vantro::probe::samples
