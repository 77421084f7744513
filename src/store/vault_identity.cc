#include "store/vault_identity.h"

#include <array>
#include <cerrno>
#include <fcntl.h>
#include <fmt/format.h>
#include <sstream>
#include <unistd.h>

namespace vantro::store {
namespace {

constexpr std::string_view kWord = "vantro-vault";
constexpr std::size_t kLongest = 128;

std::string line_of(const base::StateIdentity& identity) {
  return fmt::format("{} {} {:019} {:019}\n", kWord, identity.id, identity.change,
                     identity.at);
}

}  // namespace

std::optional<base::StateIdentity> VaultIdentity::read() const {
  const base::UniqueFd file(::open(path().c_str(), O_RDONLY | O_CLOEXEC));
  if (!file) return std::nullopt;
  std::array<char, kLongest> bytes{};
  const auto count = ::pread(file.get(), bytes.data(), bytes.size(), 0);
  if (count <= 0) return std::nullopt;
  std::istringstream line(std::string(bytes.data(), static_cast<std::size_t>(count)));
  std::string word;
  base::StateIdentity identity;
  if (!(line >> word >> identity.id >> identity.change >> identity.at) || word != kWord) {
    return std::nullopt;
  }
  return identity;
}

base::Outcome<void> VaultIdentity::write(const base::StateIdentity& identity) {
  const auto failed = [&] {
    return base::refuse(base::system_refusal(errno, path() + ": can't be written"));
  };
  const auto line = line_of(identity);
  const base::Lock lock(mutex_);
  const auto overwrite = [&](const base::UniqueFd& file) {
    return files_.overwrite(file.get(), line.data(), line.size()) ==
           static_cast<ssize_t>(line.size());
  };
  if (file_) return overwrite(file_) ? base::Outcome<void>() : failed();
  // In place, as other nodes have the same file open.
  if (base::UniqueFd old(files_.open(path(), O_RDWR)); old) {
    if (!overwrite(old) || files_.sync(old.get()) != 0) return failed();
    file_ = std::move(old);
    return {};
  }
  const auto fresh = path() + ".new";
  base::UniqueFd file(files_.open(fresh, O_RDWR | O_CREAT | O_TRUNC));
  if (!file ||
      files_.write(file.get(), line.data(), line.size()) !=
          static_cast<ssize_t>(line.size()) ||
      files_.sync(file.get()) != 0 || files_.rename(fresh, path()) != 0 ||
      files_.sync_folder(folder_) != 0) {
    return failed();
  }
  file_ = std::move(file);
  return {};
}

}  // namespace vantro::store
