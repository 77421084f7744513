#include "serve/ssh/host_keys.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include "auth/ssh_key.h"
#include "base/unique_fd.h"
#include "crypto/secret.h"

namespace vantro::serve::ssh {
namespace {

using base::Kind;

struct Wanted {
  const char* file;
  ssh_keytypes_e type;
  int bits;  // as libssh wants it
};
// In the order of display.
constexpr std::array kWanted{Wanted{"ed25519", SSH_KEYTYPE_ED25519, 0},
                             Wanted{"ecdsa", SSH_KEYTYPE_ECDSA, 256},
                             Wanted{"rsa", SSH_KEYTYPE_RSA, 3072}};

base::Outcome<void> sync(const std::string& path, int flags) {
  const base::UniqueFd file(::open(path.c_str(), flags | O_CLOEXEC));
  if (file && ::fsync(file.get()) == 0) return {};
  return base::refuse(base::system_refusal(errno, path));
}

// The whole file exists under its name, or nothing.
base::Outcome<void> make(const Wanted& wanted, const std::string& path) {
  ssh_key made = nullptr;
  if (ssh_pki_generate(wanted.type, wanted.bits, &made) != SSH_OK) {
    return base::refuse(Kind::kIo, fmt::format("the host key {} can't be made", path));
  }
  const Key key(made);
  const auto fresh = path + ".new-" + crypto::random_hex(4);
  // libssh would make it readable for everybody.
  const base::UniqueFd owned(
      ::open(fresh.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0600));
  if (!owned) return base::refuse(base::system_refusal(errno, fresh));
  if (ssh_pki_export_privkey_file(key.get(), nullptr, nullptr, nullptr, fresh.c_str()) !=
      SSH_OK) {
    return base::refuse(Kind::kIo,
                        fmt::format("the host key {} can't be written", fresh));
  }
  if (auto done = sync(fresh, O_RDONLY); !done) return done;
  // Another node may have made one in this moment: there is one for all.
  const bool made_it = ::link(fresh.c_str(), path.c_str()) == 0 || errno == EEXIST;
  const auto failure = errno;
  ::unlink(fresh.c_str());
  if (made_it) return {};
  return base::refuse(base::system_refusal(failure, path));
}

base::Outcome<HostKey> load(const std::string& path, const base::Log& log) {
  struct stat there {};
  if (::stat(path.c_str(), &there) != 0) {
    return base::refuse(base::system_refusal(errno, path));
  }
  if ((there.st_mode & 077) != 0) {
    if (::chmod(path.c_str(), 0600) != 0) {
      return base::refuse(base::system_refusal(errno, path));
    }
    log.warning(
        "other users could read a host key; this is corrected, but consider a new key",
        {{"file", path}});
  }
  ssh_key read = nullptr;
  if (ssh_pki_import_privkey_file(path.c_str(), nullptr, nullptr, nullptr, &read) !=
      SSH_OK) {
    return base::refuse(
        Kind::kCorrupt,
        fmt::format("the host key {} is damaged; put a good copy there, or remove it; a "
                    "new one is then made, which clients will not know",
                    path));
  }
  HostKey key;
  key.key.reset(read);
  char* blob = nullptr;
  if (ssh_pki_export_pubkey_base64(read, &blob) != SSH_OK) {
    return base::refuse(Kind::kCorrupt, fmt::format("the host key {} is damaged", path));
  }
  key.fingerprint = auth::ssh_fingerprint(blob);
  ssh_string_free_char(blob);
  key.type = ssh_key_type_to_char(ssh_key_type(read));
  return key;
}

}  // namespace

bool host_keys_are_missing(const std::string& folder) {
  return std::any_of(kWanted.begin(), kWanted.end(), [&](const auto& wanted) {
    return !std::filesystem::exists(folder + "/" + wanted.file);
  });
}

base::Outcome<std::vector<HostKey>> host_keys(const std::string& folder,
                                              const base::Log& log) {
  if (::mkdir(folder.c_str(), 0700) != 0 && errno != EEXIST) {
    return base::refuse(base::system_refusal(errno, folder));
  }
  std::vector<HostKey> keys;
  for (const auto& wanted : kWanted) {
    const auto path = folder + "/" + wanted.file;
    if (!std::filesystem::exists(path)) {
      if (auto made = make(wanted, path); !made) return base::refuse(made.error());
      if (auto done = sync(folder, O_RDONLY | O_DIRECTORY); !done) {
        return base::refuse(done.error());
      }
    }
    auto key = load(path, log);
    if (!key) return base::refuse(key.error());
    keys.push_back(std::move(*key));
  }
  return keys;
}

}  // namespace vantro::serve::ssh
