// Makes the demo's images and configurations, the same bytes on every machine with the
// same zlib:
//
//   vantro-demo-data FOLDER
//     FOLDER/makers/fenrock/...    images with a SHA256SUMS
//     FOLDER/makers/alderbit/...   images with an MD5SUMS
//     FOLDER/makers/mirevault/...  images with a SHA512SUMS
//     FOLDER/configs/...           what the devices send: before a change, after it, and
//                                  once more with nothing changed but when it was saved
//     FOLDER/devices.csv           the inventory
//     FOLDER/switches.csv          twelve more devices, for a rollout
//     FOLDER/reports/...           what devices say of themselves
//     FOLDER/rules.csv             which version may follow which
//     FOLDER/recognisers.toml      what file names and reports tell
//
// Fenrock's images have the header that open boot loaders use (64 bytes with two CRCs);
// the others one of 512 bytes in text (maker, platform, role, version, length and CRC-32
// of the payload). Behind it is a gzip payload.
#include <algorithm>
#include <cctype>
#include <cstdint>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <iostream>
#include <stdexcept>
#include <string>
#include <string_view>
#include <vector>
#include <zlib.h>

#include "base/bytes.h"
#include "crypto/digests.h"

namespace {

using namespace vantro;

constexpr std::size_t kHeader = 512;

struct ImageKind {
  const char* maker;
  const char* platform;
  const char* role;
  const char* version;
  const char* file;
  std::size_t bytes;  // before compression; about half of it stays
};

constexpr ImageKind kImages[] = {
    {"fenrock", "Causeway 4", "boot", "2.1.0", "causeway4-boot-2.1.0.img", 1'800'000},
    {"fenrock", "Causeway 4", "system", "7.4.2", "causeway4-system-7.4.2.img",
     36'000'000},
    {"fenrock", "Causeway 4", "system", "7.6.0", "causeway4-system-7.6.0.img",
     38'000'000},
    {"alderbit", "Lattice 24", "boot", "1.9", "lattice24-boot-1.9.img", 200'000},
    {"alderbit", "Lattice 24", "boot", "2.0", "lattice24-boot-2.0.img", 220'000},
    {"alderbit", "Lattice 24", "system", "3.10.1", "lattice24-system-3.10.1.img",
     16'000'000},
    {"alderbit", "Lattice 24", "system", "3.12.0", "lattice24-system-3.12.0.img",
     17'000'000},
    {"alderbit", "Lattice 24", "system", "4.0.1", "lattice24-system-4.0.1.img",
     18'000'000},
    {"mirevault", "Weir 2", "system", "12.0.5", "weir2-system-12.0.5.img", 80'000'000},
};

struct Maker {
  const char* name;
  const char* list;
  crypto::Algorithm algorithm;
};

constexpr Maker kMakers[] = {
    {"fenrock", "SHA256SUMS", crypto::Algorithm::kSha256},
    {"alderbit", "MD5SUMS", crypto::Algorithm::kMd5},
    {"mirevault", "SHA512SUMS", crypto::Algorithm::kSha512},
};

struct Device {
  const char* name;
  const char* site;
  const char* platform;
  int number;
};

constexpr Device kDevices[] = {
    {"tidegate-rtr", "Tidegate", "Fenrock Causeway 4", 1},
    {"heron-rtr", "Heron Reservoir", "Fenrock Causeway 4", 2},
    {"osier-sw", "Osier Works", "Alderbit Lattice 24", 3},
    {"sedgebank-sw", "Sedge Bank", "Alderbit Lattice 24", 4},
    {"bittern-fw", "Bittern Hill", "Mirevault Weir 2", 5},
};

// xorshift64*: the payload must look like code and data, not be secret.
class Noise {
 public:
  explicit Noise(std::uint64_t seed) : state_(seed * 2 + 1) {}
  std::uint64_t next() {
    state_ ^= state_ >> 12;
    state_ ^= state_ << 25;
    state_ ^= state_ >> 27;
    return state_ * 0x2545f4914f6cdd1d;
  }

 private:
  std::uint64_t state_;
};

// Runs of noise and runs of repeated text, as in a real image: it shrinks to about half.
base::ByteBuffer payload_of(const ImageKind& kind) {
  Noise noise(crc32(0, reinterpret_cast<const Bytef*>(kind.file),
                    static_cast<uInt>(std::char_traits<char>::length(kind.file))));
  const auto text =
      fmt::format("{} {} {} {}\n", kind.maker, kind.platform, kind.role, kind.version);
  base::ByteBuffer bytes;
  bytes.reserve(kind.bytes + 8192);
  while (bytes.size() < kind.bytes) {
    for (int i = 0; i < 512; ++i) {
      auto word = noise.next();
      for (int byte = 0; byte < 8; ++byte, word >>= 8) {
        bytes.push_back(static_cast<std::uint8_t>(word));
      }
    }
    for (std::size_t i = 0; i < 4096; ++i) {
      bytes.push_back(static_cast<std::uint8_t>(text[i % text.size()]));
    }
  }
  bytes.resize(kind.bytes);
  return bytes;
}

base::ByteBuffer gzip(const base::ByteBuffer& bytes) {
  z_stream stream{};
  constexpr int kGzipWindow = 15 + 16;  // zlib.h: 16 more asks for a gzip wrapper
  if (deflateInit2(&stream, Z_BEST_SPEED, Z_DEFLATED, kGzipWindow, 8,
                   Z_DEFAULT_STRATEGY) != Z_OK) {
    throw std::runtime_error("zlib can't begin");
  }
  base::ByteBuffer packed(deflateBound(&stream, bytes.size()));
  stream.next_in = const_cast<Bytef*>(bytes.data());
  stream.avail_in = static_cast<uInt>(bytes.size());
  stream.next_out = packed.data();
  stream.avail_out = static_cast<uInt>(packed.size());
  const int result = deflate(&stream, Z_FINISH);
  packed.resize(stream.total_out);
  deflateEnd(&stream);
  if (result != Z_STREAM_END) throw std::runtime_error("zlib can't compress");
  return packed;
}

void write_file(const std::filesystem::path& path, base::ByteView bytes) {
  std::ofstream out(path, std::ios::binary);
  out.write(reinterpret_cast<const char*>(bytes.data()),
            static_cast<std::streamsize>(bytes.size()));
  if (!out.flush()) throw std::runtime_error(path.string() + " can't be written");
}

void put_word(base::ByteBuffer& to, std::size_t at, std::uint32_t value) {
  for (std::size_t i = 0; i < 4; ++i) {
    to[at + i] = static_cast<std::uint8_t>(value >> (24 - 8 * i));
  }
}

std::uint32_t crc_of(const base::ByteBuffer& bytes) {
  return static_cast<std::uint32_t>(
      crc32(0, bytes.data(), static_cast<uInt>(bytes.size())));
}

base::ByteBuffer with_boot_header(const ImageKind& kind,
                                  const base::ByteBuffer& payload) {
  constexpr std::uint32_t kMagic = 0x27051956;
  const auto name = fmt::format("{} {} {}", kind.platform, kind.role, kind.version);
  base::ByteBuffer image(64, 0);
  put_word(image, 0, kMagic);
  put_word(image, 12, static_cast<std::uint32_t>(payload.size()));
  put_word(image, 24, crc_of(payload));
  std::copy(name.begin(), name.end(), image.begin() + 32);
  put_word(image, 4, crc_of(image));
  image.insert(image.end(), payload.begin(), payload.end());
  return image;
}

base::ByteBuffer image_of(const ImageKind& kind) {
  const auto payload = gzip(payload_of(kind));
  if (std::string(kind.maker) == "fenrock") return with_boot_header(kind, payload);
  auto header = fmt::format(
      "DEVICE IMAGE 1\nmaker: {}\nplatform: {}\nrole: {}\nversion: {}\n"
      "payload-bytes: {}\npayload-crc32: {:08x}\n",
      kind.maker, kind.platform, kind.role, kind.version, payload.size(),
      crc_of(payload));
  header.resize(kHeader, '\0');
  base::ByteBuffer image(header.begin(), header.end());
  image.insert(image.end(), payload.begin(), payload.end());
  return image;
}

void make_images(const std::filesystem::path& folder) {
  for (const auto& maker : kMakers) {
    const auto place = folder / "makers" / maker.name;
    std::filesystem::create_directories(place);
    std::string list;
    for (const auto& kind : kImages) {
      if (std::string(kind.maker) != maker.name) continue;
      const auto image = image_of(kind);
      crypto::Digester digester;
      digester.update(image);
      const auto digests = digester.finish();
      list +=
          fmt::format("{}  {}\n", crypto::value_of(digests, maker.algorithm), kind.file);
      write_file(place / kind.file, image);
    }
    write_file(place / maker.list, base::as_bytes(list));
  }
}

std::string config_of(const Device& device, int edition) {
  std::string text = fmt::format(
      "# {}, saved 2026-11-23 0{}:14:07\n"
      "device {}\n"
      "    owner Reedmoor Water\n"
      "    site {}\n"
      "    contact 'control room, extension 4{}'\n"
      "time\n"
      "    source 192.0.2.5\n"
      "    zone utc\n",
      device.platform, edition, device.name, device.site, device.number);
  text += fmt::format(
      "uplink wan-1\n    about 'leased line to Tidegate'\n"
      "    address 198.51.100.{}/30\n    rate 20M\n",
      4 * device.number + 2);
  for (int port = 1; port <= 8; ++port) {
    text += fmt::format("port lan-{}\n    group {}\n    state {}\n", port,
                        port < 5 ? "telemetry" : "office",
                        port == 7 && edition == 1 ? "off" : "on");
  }
  text += fmt::format(
      "group telemetry\n    number {}\n    network 203.0.113.{}/28\n"
      "group office\n    number {}\n    network 192.0.2.{}/28\n"
      "paths\n    default via 198.51.100.{}\n",
      100 + device.number, 16 * device.number, 200 + device.number, 16 * device.number,
      4 * device.number + 1);
  if (edition > 1) text += "    203.0.113.240/28 via 198.51.100.30\n";
  text += fmt::format(
      "watching\n    community {}\n    from 192.0.2.16/28\nkeeper duty\n    password "
      "'{}'\n",
      edition == 1 ? "reeds" : "rushes-4711", "made-up-" + std::string(device.name));
  return text;
}

// What the demo's server is told about the makers' file names, and a folder to drop
// images into.
void make_settings(const std::filesystem::path& folder) {
  write_file(folder / "recognisers.toml", base::as_bytes(R"([[recogniser]]
name = "fenrock"
pattern = '(?P<platform>causeway\d)-(?P<role>system|boot|recovery)-(?P<version>[\d.]+)\.img'
facts = { maker = "Fenrock" }

[[recogniser]]
name = "fenrock-header"
pattern = 'causeway \d (?P<role>system|boot|recovery) (?P<version>[\d.]+)'
facts = { maker = "Fenrock" }

[[recogniser]]
name = "alderbit"
pattern = '(?P<platform>lattice\d+)-(?P<role>system|boot)-(?P<version>[\d.]+)\.img'
facts = { maker = "Alderbit" }

[[recogniser]]
name = "mirevault"
pattern = '(?P<platform>weir\d)-(?P<role>system|boot|bundle)-(?P<version>[\d.]+)\.(img|tgz)'
facts = { maker = "Mirevault" }
words = { bundle = "other" }

[[report]]
platform = "causeway4"
pattern = '^Release (?P<version>[\d.]+), loader (?P<boot_version>[\d.]+)'

[[report]]
platform = "causeway4"
pattern = '^Bank (?P<slot>\d): (?P<content>\S+)(?P<running> \(in use\))?(?P<next> \(next\))?'

[[report]]
platform = "causeway4"
pattern = '^Store has (?P<free>[\d,]+) bytes left'

[[report]]
platform = "lattice24"
pattern = '^ *model +(?P<model>\S+)'
words = { "LT-24" = "lattice24" }

[[report]]
platform = "lattice24"
pattern = '^ *board +(?P<hardware>\S+)'

[[report]]
platform = "lattice24"
pattern = '^ *serial +(?P<serial>\S+)'

[[report]]
platform = "lattice24"
pattern = '^ *system +(?P<version>\S+)'

[[report]]
platform = "lattice24"
pattern = '^ *start loader +(?P<boot_version>\S+)'

[[report]]
platform = "lattice24"
pattern = '^ *bank (?P<slot>[AB]) +(?P<content>\S+)(?: +(?P<running>runs))?,?(?: *(?P<next>starts next))?'

[[report]]
platform = "lattice24"
pattern = '^ *room on (?P<storage>\w+) +(?P<free>\d+) (?P<unit>KiB)'

[[report]]
platform = "weir2"
pattern = '^\[(?P<running>run)?(?P<next>next)?\] partition (?P<slot>\w+) holds (?P<content>\S+)'

[[report]]
platform = "weir2"
pattern = '^software (?P<version>[\d.]+)'

[[sheet]]
platform = "lattice24"
form = "boot-prompt"
order = ["recovery_port", "server", "own_address", "mask", "name"]

[[backups.kind]]
pattern = '.*\.rpt'
kind = "report"

[[backups.leave_out]]
pattern = '^# .*, saved .*$'
)"));
}

void make_configs(const std::filesystem::path& folder) {
  std::filesystem::create_directories(folder / "configs");
  for (const auto& device : kDevices) {
    for (int edition = 1; edition <= 3; ++edition) {
      write_file(folder / "configs" / fmt::format("{}.{}.cfg", device.name, edition),
                 base::as_bytes(config_of(device, edition)));
    }
  }
}

// What the makers' devices say of themselves, each in its own way.
void make_reports(const std::filesystem::path& folder) {
  const auto place = folder / "reports";
  std::filesystem::create_directories(place);
  const auto lattice = [](const char* system, const char* loader, const char* a,
                          const char* b) {
    return fmt::format(
        "LATTICE STATE OF OSIER-SW\n"
        "  model            LT-24\n"
        "  board            B\n"
        "  serial           AB-20931\n"
        "  system           {}\n"
        "  start loader     {}\n"
        "  bank A           {}\n"
        "  bank B           {}\n"
        "  room on flash    41216 KiB\n"
        "  fans             two of two turn\n",
        system, loader, a, b);
  };
  const auto write = [&](const char* name, const std::string& text) {
    write_file(place / name, base::as_bytes(text));
  };
  write(
      "osier-sw.before.rpt",
      lattice("3.10.1", "1.9", "lattice24-system-3.10.1.img runs, starts next", "empty"));
  write("osier-sw.between.rpt", lattice("3.12.0", "2.0", "lattice24-system-3.10.1.img",
                                        "lattice24-system-3.12.0.img runs, starts next"));
  write("osier-sw.after.rpt",
        lattice("4.0.1", "2.0", "lattice24-system-4.0.1.img runs, starts next",
                "lattice24-system-3.12.0.img"));
  write("tidegate-rtr.rpt",
        "Release 7.4.2, loader 2.0.3\n"
        "Bank 1: causeway4-system-7.4.2.img (in use) (next)\n"
        "Bank 2: causeway4-system-7.1.0.img\n"
        "Store has 51,380,224 bytes left\n");
  write("bittern-fw.rpt",
        "software 12.0.5\n[run] partition one holds weir2-system-12.0.5.img\n"
        "[next] partition two holds weir2-system-12.0.5.img\n");
}

void make_rules(const std::filesystem::path& folder) {
  write_file(
      folder / "rules.csv",
      base::as_bytes(
          "platform,rule,role,from,to,needs,source\n"
          "lattice24,needs-version,system,,>=4.0,>=3.12,\"release notes 4.0, page 3\"\n"
          "lattice24,needs-first,system,,>=3.12,boot >=2.0,\"release notes 3.12, page "
          "2\"\n"
          "lattice24,recovery-only,system,,<3.8,,\"hardware guide, page 40\"\n"
          "causeway4,through,system,<7.4,>=7.6,7.4.2,\"release notes 7.6, page 12\"\n"
          "causeway4,never,system,7.3,7.5.1,,field notice 12\n"));
}

void make_inventory(const std::filesystem::path& folder) {
  std::string table =
      "name,addresses,link_address,maker,platform,hardware,site,remarks\n";
  for (const auto& device : kDevices) {
    const std::string_view title = device.platform;
    const auto space = title.find(' ');
    std::string platform;
    for (const auto one : title.substr(space + 1)) {
      if (one != ' ') platform += static_cast<char>(std::tolower(one));
    }
    table += fmt::format("{},127.1.0.{},02:00:5e:10:00:{:02x},{},{},B,{},\n", device.name,
                         device.number, device.number, title.substr(0, space), platform,
                         device.site);
  }
  write_file(folder / "devices.csv", base::as_bytes(table));
  std::string switches =
      "name,addresses,maker,platform,hardware,site,running_version,boot_version\n";
  for (int number = 1; number <= 12; ++number) {
    switches += fmt::format(
        "pump-sw-{:02},127.1.1.{},Alderbit,lattice24,B,{},3.12.0,2.0\n", number, number,
        number <= 5   ? "Heron Reservoir"
        : number <= 9 ? "Osier Works"
                      : "Sedge Bank");
  }
  write_file(folder / "switches.csv", base::as_bytes(switches));
}

}  // namespace

int main(int argc, char** argv) try {
  if (argc != 2) {
    std::cerr << "usage: vantro-demo-data FOLDER\n";
    return 2;
  }
  make_images(argv[1]);
  make_configs(argv[1]);
  make_inventory(argv[1]);
  make_reports(argv[1]);
  make_rules(argv[1]);
  make_settings(argv[1]);
} catch (const std::exception& error) {
  std::cerr << "vantro-demo-data: " << error.what() << '\n';
  return 1;
}
