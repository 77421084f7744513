#include "client/adopt.h"

#include <algorithm>
#include <cerrno>
#include <filesystem>
#include <fmt/format.h>
#include <map>
#include <set>
#include <unistd.h>
#include <vector>

#include "api/service.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "client/interrupt.h"
#include "client/progress.h"
#include "client/render.h"
#include "client/send_image.h"
#include "crypto/checksum_list.h"
#include "crypto/digests.h"
#include "crypto/file_form.h"

namespace vantro::client {
namespace {

namespace fs = std::filesystem;

// Larger files are images, and not checked for being a list.
constexpr std::uintmax_t kLargestProof = 1 << 20;

struct Found {
  fs::path path;
  std::string inside;  // below the folder, with "/"
  std::uint64_t size = 0;
};

struct ProofList {
  std::vector<crypto::ListedChecksum> checksums;
  std::string named_after;  // "x.img" of "x.img.md5"
};

class Adoption {
 public:
  Adoption(const Context& context, const AdoptOptions& options)
      : context_(context), options_(options), terminal_(stderr) {
    report_.folder = options.folder;
  }

  Done run() {
    if (auto walked = walk(); !walked) return walked;
    notice_interrupts();
    std::uint64_t all = 0;
    for (const auto& one : images_) all += one.size;
    bar_.emplace(context_.view, fmt::format("{} files", images_.size()), all);
    Done stopped;
    for (const auto& one : images_) {
      if (interrupted()) break;
      if (auto done = add(one); !done) {
        stopped = done;
        break;
      }
      done_ += one.size;
      bar_->advance(done_);
    }
    bar_.reset();
    report_.interrupted = interrupted();
    show_report();
    if (!stopped) return stopped;
    if (report_.interrupted) {
      return tl::unexpected(Failure{ExitCode::kRefused,
                                    "interrupted; run the same command again to resume"});
    }
    if (mismatches_ > 0) return tl::unexpected(Failure{ExitCode::kChecksum, ""});
    if (!report_.not_added.empty()) {
      return tl::unexpected(Failure{ExitCode::kRefused, ""});
    }
    return {};
  }

 private:
  void leave(const std::string& file, const std::string& why) {
    report_.not_added.push_back({file, why});
  }

  Done walk() {
    std::error_code failed;
    const fs::path top(options_.folder);
    fs::recursive_directory_iterator at(top, failed);
    if (failed) return file_failure(options_.folder, failed.value());
    std::vector<fs::path> paths;
    while (at != fs::recursive_directory_iterator()) {
      paths.push_back(at->path());
      at.increment(failed);
      if (failed) return file_failure(options_.folder, failed.value());
    }
    std::sort(paths.begin(), paths.end());
    for (const auto& path : paths) {
      const auto inside = path.lexically_relative(top).generic_string();
      const auto status = fs::symlink_status(path, failed);
      if (fs::is_directory(status)) continue;
      if (fs::is_symlink(status)) {
        leave(inside, "it is a symbolic link");
      } else if (!fs::is_regular_file(status)) {
        leave(inside, "it is not a regular file");
      } else if (const auto size = fs::file_size(path, failed); failed) {
        leave(inside, failed.message());
      } else if (size == 0) {
        leave(inside, "it is empty");
      } else if (!is_proof(path, inside, size)) {
        images_.push_back({path, inside, size});
      }
    }
    return {};
  }

  // A maker's list counts for the files of its folder; it is not an image.
  bool is_proof(const fs::path& path, const std::string& inside, std::uintmax_t size) {
    if (size > kLargestProof) return false;
    const auto text = read_text(path.string(), kLargestProof);
    if (!text) return false;
    const auto form = crypto::form_of(*text);
    if (form == crypto::FileForm::kOther) return false;
    if (form == crypto::FileForm::kChecksumList) {
      auto list = crypto::parse_checksum_list(*text);
      if (list) {
        lists_[path.parent_path().string()].push_back(
            {std::move(list->checksums), path.stem().string()});
        report_.lists.push_back(inside);
        return true;
      }
    }
    leave(inside, fmt::format("it is {}, not an image", crypto::title(form)));
    return true;
  }

  std::vector<std::string> expected_for(const Found& file) const {
    std::set<std::string> expected;
    // Lists in a folder above name it with its folders.
    for (auto folder = file.path.parent_path(); !folder.empty();
         folder = folder.parent_path()) {
      const auto lists = lists_.find(folder.string());
      if (lists != lists_.end()) {
        const auto name = file.path.lexically_relative(folder).generic_string();
        for (const auto& list : lists->second) {
          for (const auto& one : list.checksums) {
            // A checksum without a name is for the file that the list is named after.
            auto listed = one.name.empty() ? list.named_after : one.name;
            if (listed.starts_with("./")) listed.erase(0, 2);
            if (listed != name) continue;
            auto title = base::folded(crypto::title(one.expected.algorithm));
            std::erase(title, '-');
            expected.insert(title + ":" + one.expected.hex);
          }
        }
      }
      if (folder == fs::path(options_.folder) || folder == folder.parent_path()) break;
    }
    return {expected.begin(), expected.end()};
  }

  // The server has the same bytes under this name.
  Result<bool> there_already(const Found& file, const std::string& name) {
    const auto known = context_.api.call(api::kImage, {name});
    if (!known) {
      if (known.error().code == ExitCode::kNotFound) return false;
      return tl::unexpected(known.error());
    }
    if (known->value.image.size != file.size) return false;
    auto opened = open_file(file.path.string());
    if (!opened) return tl::unexpected(opened.error());
    crypto::Sha256 digest;
    base::ByteBuffer piece(1 << 20);
    while (!interrupted()) {
      const auto got = ::read(opened->fd.get(), piece.data(), piece.size());
      if (got < 0 && errno == EINTR) continue;
      if (got < 0) return file_failure(file.inside, errno);
      if (got == 0) return digest.finish() == known->value.image.digests.sha256;
      digest.update({piece.data(), static_cast<std::size_t>(got)});
    }
    return false;
  }

  Result<Answered<api::ImageAdded>> send(const Found& file,
                                         const api::ImageGiven& given) {
    auto opened = open_file(file.path.string());
    if (!opened) return tl::unexpected(opened.error());
    return send_image(context_, *opened, file.inside, given, *bar_, done_);
  }

  // Refused if nothing more can be sent: the server is gone or does not know us.
  Done add(const Found& file) {
    const auto name = options_.keep_paths ? file.inside : file.path.filename().string();
    const auto ends = [](const Failure& failure) {
      return failure.code == ExitCode::kNoServer || failure.code == ExitCode::kToken;
    };
    const auto there = there_already(file, name);
    if (!there) {
      if (ends(there.error())) return tl::unexpected(there.error());
      leave(file.inside, there.error().sentence);
      return {};
    }
    if (*there) {
      ++report_.there_already;
      return {};
    }
    auto given = options_.given;
    given.name = name;
    given.expect = expected_for(file);
    const auto answer = send(file, given);
    if (!answer) {
      if (interrupted()) return {};
      if (ends(answer.error())) return tl::unexpected(answer.error());
      if (answer.error().code == ExitCode::kChecksum) ++mismatches_;
      leave(file.inside, answer.error().sentence);
      return {};
    }
    const auto& added = answer->value;
    if (!given.expect.empty()) ++report_.compared;
    if (added.result == "already-there") {
      ++report_.there_already;
    } else if (added.result == "new-name") {
      report_.same_bytes.push_back({file.inside, added.image.name});
    } else {
      ++report_.added;
      report_.bytes += file.size;
    }
    if (added.offer.empty() && !given.hold && !added.note.empty()) {
      report_.not_offered.push_back({file.inside, added.note});
    }
    return {};
  }

  void show_report() const {
    const Terminal terminal(stdout);
    if (context_.json) {
      terminal.write_json(api::indented(api::json_of(report_)) + "\n");
      return;
    }
    terminal.write(fmt::format("{}: {} added ({}), {} known already, {} not added\n",
                               shown(options_.folder, 400), report_.added,
                               base::size_text(report_.bytes), report_.there_already,
                               report_.not_added.size()));
    if (!report_.lists.empty()) {
      terminal.write(fmt::format("compared with their makers' checksums: {} from {}\n",
                                 counted(report_.compared, "image"),
                                 counted(report_.lists.size(), "list")));
    }
    const auto table = [&](const char* title, const char* what,
                           const std::vector<api::AdoptedFile>& files, Tone tone) {
      if (files.empty()) return;
      Table rows({{title}, {what}});
      for (const auto& one : files) rows.add({{one.file}, {shown(one.what, 500), tone}});
      terminal.write("\n");
      rows.write(terminal);
    };
    table("SAME BYTES", "AS", report_.same_bytes, Tone::kFaint);
    table("NOT ON OFFER", "WHY", report_.not_offered, Tone::kBad);
    table("NOT ADDED", "WHY", report_.not_added, Tone::kBad);
  }

  const Context& context_;
  const AdoptOptions& options_;
  Terminal terminal_;
  std::vector<Found> images_;
  std::map<std::string, std::vector<ProofList>> lists_;  // by folder
  api::AdoptReport report_;
  std::size_t mismatches_ = 0;
  std::uint64_t done_ = 0;
  std::optional<Progress> bar_;
};

}  // namespace

Done adopt(const Context& context, const AdoptOptions& options) {
  return Adoption(context, options).run();
}

}  // namespace vantro::client
