#include "store/part_file.h"

#include <cerrno>
#include <fcntl.h>
#include <filesystem>
#include <sys/stat.h>
#include <unistd.h>

#include "crypto/secret.h"
#include "store/arrival_label.h"
#include "store/sealed_file.h"

namespace vantro::store {
namespace {

std::string folder_of(const StateFolder& folder) { return folder.own() + "/mirroring"; }

std::string path_of(const StateFolder& folder, const std::string& sha256) {
  return folder_of(folder) + "/" + sha256;
}

base::Outcome<void> make_folder(const StateFolder& folder) {
  auto& files = folder.files();
  if (files.make_folder(folder_of(folder)) == 0) {
    if (files.sync_folder(folder.own()) == 0) return {};
  } else if (errno == EEXIST) {
    return {};
  }
  return base::refuse(base::system_refusal(errno, "mirroring/ can't be made"));
}

}  // namespace

base::Outcome<PartFile> PartFile::open(const StateFolder& folder,
                                       const std::string& sha256) {
  if (auto made = make_folder(folder); !made) return base::refuse(made.error());
  base::UniqueFd file(
      folder.files().open(path_of(folder, sha256), O_RDWR | O_CREAT | O_APPEND));
  struct stat about {};
  if (!file || ::fstat(file.get(), &about) != 0) {
    return base::refuse(base::system_refusal(errno, "a part can't be opened"));
  }
  return PartFile(folder, sha256, std::move(file),
                  static_cast<std::uint64_t>(about.st_size));
}

base::Outcome<void> PartFile::write(base::ByteView bytes) {
  if (auto room = folder_->reserve().check(); !room) return room;
  if (auto room = folder_->check_floor(); !room) return room;
  if (auto written = write_all(folder_->files(), file_.get(), bytes); !written) {
    return written;
  }
  size_ += bytes.size();
  return {};
}

base::Outcome<void> PartFile::sync() {
  auto& files = folder_->files();
  if (files.sync(file_.get()) != 0 || files.sync_folder(folder_of(*folder_)) != 0) {
    return base::refuse(base::system_refusal(errno, "a part can't be written"));
  }
  return {};
}

base::Outcome<void> PartFile::cut(std::uint64_t size) {
  if (size >= size_) return {};
  if (::ftruncate(file_.get(), static_cast<off_t>(size)) != 0) {
    return base::refuse(base::system_refusal(errno, "a part can't be cut"));
  }
  size_ = size;
  return {};
}

base::Outcome<Arrival> PartFile::arrive(base::WallTime now) && {
  const ArrivalLabel label{kPurpose, "", sha256_};
  auto name = label.file_name(now, crypto::random_hex(4));
  auto& files = folder_->files();
  const auto from = path_of(*folder_, sha256_);
  if (files.rename(from, folder_->arriving(name)) != 0) {
    return base::refuse(base::system_refusal(errno, "a part can't be moved"));
  }
  Arrival arrival(*folder_, std::move(name), std::move(file_));
  if (auto read = arrival.read_again({}); !read) {
    arrival.put_back(from);
    return base::refuse(read.error());
  }
  return arrival;
}

base::Outcome<std::vector<StoredFile>> PartFile::list(const StateFolder& folder) {
  if (auto made = make_folder(folder); !made) return base::refuse(made.error());
  std::vector<StoredFile> parts;
  std::error_code error;
  for (const auto& entry :
       std::filesystem::directory_iterator(folder_of(folder), error)) {
    std::error_code gone;
    const auto size = entry.file_size(gone);
    if (!gone) parts.push_back({entry.path().filename().string(), size});
  }
  if (error) {
    return base::refuse(
        base::system_refusal(error.value(), "mirroring/ can't be listed"));
  }
  return parts;
}

void PartFile::remove(const StateFolder& folder, const std::string& sha256) {
  folder.files().remove(path_of(folder, sha256));
}

base::Outcome<void> PartFile::put_back(const StateFolder& folder,
                                       const std::string& arriving_name,
                                       const std::string& sha256) {
  if (auto made = make_folder(folder); !made) return made;
  if (folder.files().rename(folder.arriving(arriving_name), path_of(folder, sha256)) !=
      0) {
    return base::refuse(base::system_refusal(errno, "a part can't be moved back"));
  }
  return {};
}

}  // namespace vantro::store
