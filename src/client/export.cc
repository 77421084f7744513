#include "client/export.h"

#include <algorithm>
#include <archive.h>
#include <archive_entry.h>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <sys/stat.h>
#include <thread>
#include <unistd.h>

#include "api/catalogue.h"
#include "base/clock.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "base/whole_file.h"
#include "client/images.h"
#include "client/interrupt.h"
#include "client/manifest.h"
#include "client/progress.h"
#include "client/render.h"
#include "crypto/checksum_list.h"
#include "crypto/digests.h"

namespace vantro::client {
namespace {

namespace fs = std::filesystem;

struct ExportOptions {
  std::string target;               // an empty or new folder; or NAME.tar
  std::vector<std::string> images;  // empty: all but withdrawn ones
  bool with_withdrawn = false;
};

struct ImportOptions {
  std::string source;
  bool hold = false;  // put nothing on offer
};

constexpr const char* kFormat = "vantro-export";
constexpr int kVersion = 1;
constexpr const char* kManifest = "contents.json";
// Its name in exports of the previous version.
constexpr const char* kOldManifest = "manifest.json";
constexpr const char* kSums = "SHA256SUMS";
constexpr std::size_t kLongestManifest = 256 << 20;

tl::unexpected<Failure> bad_file(const std::string& file, const std::string& why) {
  return tl::unexpected(Failure{ExitCode::kFile, file + ": " + why});
}

// -- Writing: a folder or an archive --

class Target {
 public:
  virtual ~Target() = default;
  virtual Done put(const std::string& name, const std::string& bytes) = 0;
  // The bytes behind this path of the API.
  virtual Done fetch(const Context& context, const std::string& path,
                     const std::string& name, const Recorded& recorded) = 0;
  virtual Done finish() = 0;
};

class FolderTarget final : public Target {
 public:
  explicit FolderTarget(std::string folder) : folder_(std::move(folder)) {}

  Done put(const std::string& name, const std::string& bytes) override {
    if (auto made = make_way(name); !made) return made;
    const auto file = folder_ + "/" + name;
    const base::UniqueFd out(
        ::open(file.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0644));
    if (!out || !base::write_all(out.get(), base::as_bytes(bytes)) ||
        ::fsync(out.get()) != 0) {
      return file_failure(file, errno);
    }
    return {};
  }
  Done fetch(const Context& context, const std::string& path, const std::string& name,
             const Recorded& recorded) override {
    if (auto made = make_way(name); !made) return made;
    // One bar for everything.
    auto quiet = context.view;
    quiet.progress = View::Progress::kNone;
    return save({context.api, quiet, context.json}, path, folder_ + "/" + name, false,
                recorded);
  }
  Done finish() override { return {}; }

 private:
  Done make_way(const std::string& name) const {
    std::error_code error;
    fs::create_directories(fs::path(folder_ + "/" + name).parent_path(), error);
    if (error) return bad_file(folder_, error.message());
    return {};
  }

  std::string folder_;
};

class TarTarget final : public Target {
 public:
  static Result<std::unique_ptr<Target>> open(const std::string& file) {
    auto target = std::make_unique<TarTarget>();
    target->file_ = file;
    target->archive_.reset(::archive_write_new());
    ::archive_write_set_format_pax_restricted(target->archive_.get());
    if (::archive_write_open_filename(target->archive_.get(), (file + ".part").c_str()) !=
        ARCHIVE_OK) {
      return bad_file(file, target->why());
    }
    return target;
  }

  Done put(const std::string& name, const std::string& bytes) override {
    if (auto begun = begin(name, bytes.size()); !begun) return begun;
    return add(base::as_bytes(bytes)) ? Done{} : bad_file(file_, why());
  }
  Done fetch(const Context& context, const std::string& path, const std::string& name,
             const Recorded& recorded) override {
    if (auto begun = begin(name, recorded.size.value_or(0)); !begun) return begun;
    crypto::Digester digester;
    bool written = true;
    const auto done = context.api.download(path, [&](base::ByteView bytes) {
      if (interrupted()) return false;
      digester.update(bytes);
      return written = add(bytes);
    });
    if (interrupted()) {
      return tl::unexpected(Failure{ExitCode::kRefused, "interrupted"});
    }
    if (!written) return bad_file(file_, why());
    if (!done) return done;
    if (digester.finish().sha256 == recorded.sha256) return {};
    return tl::unexpected(Failure{ExitCode::kChecksum, name + ": checksum mismatch"});
  }
  Done finish() override {
    const auto part = file_ + ".part";
    if (::archive_write_close(archive_.get()) != ARCHIVE_OK) {
      return bad_file(file_, why());
    }
    if (::rename(part.c_str(), file_.c_str()) != 0) return file_failure(file_, errno);
    return {};
  }

 private:
  struct Free {
    void operator()(struct archive* a) const { ::archive_write_free(a); }
  };
  struct FreeEntry {
    void operator()(struct archive_entry* e) const { ::archive_entry_free(e); }
  };

  std::string why() const {
    const char* text = ::archive_error_string(archive_.get());
    return text == nullptr ? "can't be written" : text;
  }
  Done begin(const std::string& name, std::uint64_t size) {
    const std::unique_ptr<struct archive_entry, FreeEntry> entry(::archive_entry_new());
    ::archive_entry_set_pathname_utf8(entry.get(), name.c_str());
    ::archive_entry_set_size(entry.get(), static_cast<la_int64_t>(size));
    ::archive_entry_set_filetype(entry.get(), AE_IFREG);
    ::archive_entry_set_perm(entry.get(), 0644);
    ::archive_entry_set_mtime(entry.get(), base::SystemClock{}.wall() / 1000, 0);
    if (::archive_write_header(archive_.get(), entry.get()) != ARCHIVE_OK) {
      return bad_file(file_, why());
    }
    return {};
  }
  bool add(base::ByteView bytes) {
    return ::archive_write_data(archive_.get(), bytes.data(), bytes.size()) ==
           static_cast<la_ssize_t>(bytes.size());
  }

  std::string file_;
  std::unique_ptr<struct archive, Free> archive_;
};

Result<std::unique_ptr<Target>> open_target(const std::string& target) {
  std::error_code error;
  if (fs::exists(target, error) &&
      !(fs::is_directory(target, error) && fs::is_empty(target, error))) {
    return bad_file(target, "exists already; give another name, or an empty folder");
  }
  if (base::folded(target).ends_with(".tar")) return TarTarget::open(target);
  fs::create_directories(target, error);
  if (error) return bad_file(target, error.message());
  return std::make_unique<FolderTarget>(target);
}

ManifestImage manifest_entry(const api::ImageDetail& detail) {
  ManifestImage entry;
  entry.name = detail.image.name;
  entry.names = detail.names;
  entry.file = "images/" + detail.image.name;
  entry.size = detail.image.size;
  entry.digests = detail.image.digests;
  entry.facts = detail.image.facts;
  entry.vouches = detail.vouches;
  entry.offers = detail.offers;
  if (detail.image.withdrawn) entry.withdrawn = detail.image.withdrawn->why;
  for (const auto& one : detail.documents) {
    entry.documents.push_back({one.name,
                               "documents/" + detail.image.name + "/" + one.name,
                               one.size, one.sha256});
  }
  return entry;
}

struct Chosen {
  std::vector<std::string> names;
  std::vector<std::string> left_out;  // with the reason
};

Result<Chosen> names_to_export(const Context& context, const ExportOptions& options) {
  if (!options.images.empty()) return Chosen{options.images, {}};
  api::ImageFilter all;
  all.limit = 200'000;
  const auto answer = context.api.call(api::kImages, all);
  if (!answer) return tl::unexpected(answer.error());
  std::set<std::string> names;
  std::set<std::string> left_out;
  for (const auto& row : answer->value.images) {
    const auto& image = row.image;
    if (!image.whole) {
      left_out.insert(shown(image.name) + ": damaged on the server's disk");
    } else if (image.withdrawn && !options.with_withdrawn) {
      left_out.insert(shown(image.name) + ": withdrawn");
    } else {
      names.insert(image.name);
    }
  }
  return Chosen{{names.begin(), names.end()}, {left_out.begin(), left_out.end()}};
}

// Names from the server become files here: they must be names, and never paths that lead
// elsewhere.
Result<void> only_names(const std::vector<api::ImageDetail>& details) {
  const auto sound = [](const std::string& name) {
    const auto clean = base::visible_name(name);
    return clean && *clean == name;
  };
  for (const auto& detail : details) {
    const auto* bad = sound(detail.image.name) ? nullptr : &detail.image.name;
    for (const auto& one : detail.documents) {
      if (!sound(one.name) || one.name.find('/') != std::string::npos) bad = &one.name;
    }
    if (bad == nullptr) continue;
    return tl::unexpected(Failure{
        ExitCode::kRefused, fmt::format("the server names a file '{}', which is not a "
                                        "valid file name here; nothing was written",
                                        shown(*bad))});
  }
  return {};
}

// The remains of an unfinished export, and what to do.
Done incomplete(const std::string& target, const Done& why, std::uint64_t done,
                std::uint64_t total) {
  auto failure = why.error();
  failure.sentence +=
      fmt::format("; '{}' has {} of {} and is not complete: remove it, and export again",
                  target.ends_with(".tar") ? target + ".part" : target,
                  base::size_text(done), base::size_text(total));
  return tl::unexpected(std::move(failure));
}

bool lacks_digests(const api::Digests& digests) {
  return digests.md5.empty() || digests.sha1.empty() || digests.sha512.empty();
}

// The digests of a large image follow some seconds after it was added; an export without
// them could not be compared with a maker's older checksum list. The newest answer.
Result<api::ImageDetail> with_all_digests(const Context& context,
                                          const std::string& name) {
  constexpr std::chrono::milliseconds kPause{200};
  constexpr std::chrono::minutes kPatience{10};
  const base::SystemClock clock;
  const auto until = clock.now() + kPatience;
  std::optional<Progress> told;
  while (true) {
    auto answer = context.api.call(api::kImage, {name});
    if (!answer) return tl::unexpected(answer.error());
    // A damaged image gets no more digests; fetching its bytes says what is wrong.
    if (!lacks_digests(answer->value.image.digests) || !answer->value.image.whole) {
      return std::move(answer->value);
    }
    if (interrupted() || clock.now() >= until) {
      return tl::unexpected(Failure{
          ExitCode::kRefused,
          fmt::format("the server still computes the digests of '{}'; nothing was "
                      "written, export again in some minutes",
                      shown(name))});
    }
    if (!told) {
      told.emplace(context.view, "exporting", 0);
      told->note(fmt::format("the server computes the digests of '{}'", shown(name)));
    }
    std::this_thread::sleep_for(kPause);
  }
}

Done export_images(const Context& context, const ExportOptions& options) {
  const auto chosen = names_to_export(context, options);
  if (!chosen) return tl::unexpected(chosen.error());
  const auto* names = &chosen->names;
  if (names->empty()) {
    return tl::unexpected(Failure{ExitCode::kNotFound, "no image to export"});
  }
  std::vector<api::ImageDetail> details;
  std::set<std::string> seen;  // two names of one image
  std::uint64_t total = 0;
  notice_interrupts();
  for (const auto& name : *names) {
    auto detail = with_all_digests(context, name);
    if (!detail) return tl::unexpected(detail.error());
    if (!seen.insert(detail->image.name).second) continue;
    total += detail->image.size;
    details.push_back(std::move(*detail));
  }
  if (auto fine = only_names(details); !fine) return tl::unexpected(fine.error());
  const auto kits = context.api.call(api::kKits);
  if (!kits) return tl::unexpected(kits.error());
  Manifest manifest{
      kFormat, kVersion, base::iso_time(base::SystemClock{}.wall()), {}, {}};
  for (const auto& detail : details) manifest.images.push_back(manifest_entry(detail));
  for (const auto& kit : kits->value.kits) {
    const bool all_there =
        std::all_of(kit.parts.begin(), kit.parts.end(),
                    [&](const auto& part) { return seen.contains(part.image); });
    if (all_there) manifest.kits.push_back(kit);
  }
  auto target = open_target(options.target);
  if (!target) return tl::unexpected(target.error());
  // The manifest goes first: a reader of the archive then knows what follows.
  const auto text = api::indented(api::json_of(manifest)) + "\n";
  crypto::Digester digester;
  digester.update(base::as_bytes(text));
  std::string sums = crypto::checksum_line(digester.finish().sha256, kManifest);
  if (auto put = (*target)->put(kManifest, text); !put) return put;
  Progress bar(context.view, "exporting", total);
  std::uint64_t done_bytes = 0;
  for (const auto& detail : details) {
    const auto& image = detail.image;
    const auto fetch = [&](const std::string& from, const std::string& to,
                           std::uint64_t size, const std::string& sha256) {
      sums += crypto::checksum_line(sha256, to);
      return (*target)->fetch(context, from, to, {size, sha256});
    };
    if (auto done = fetch(api::kImageContent.target({image.name}), "images/" + image.name,
                          image.size, image.digests.sha256);
        !done) {
      return incomplete(options.target, done, done_bytes, total);
    }
    for (const auto& one : detail.documents) {
      if (auto done =
              fetch(api::kDocument.target({image.name, one.name}),
                    "documents/" + image.name + "/" + one.name, one.size, one.sha256);
          !done) {
        return incomplete(options.target, done, done_bytes, total);
      }
    }
    bar.advance(done_bytes += image.size);
  }
  if (auto put = (*target)->put(kSums, sums); !put) return put;
  if (auto done = (*target)->finish(); !done) return done;
  const Terminal terminal(stdout);
  if (!chosen->left_out.empty()) {
    // Not in output for programs.
    const Terminal beside(stderr);
    beside.write(
        fmt::format("Left out: {} of {} images (--with-withdrawn includes withdrawn "
                    "ones):\n  {}\n",
                    chosen->left_out.size(), chosen->left_out.size() + details.size(),
                    fmt::join(chosen->left_out, "\n  ")));
  }
  if (context.json) {
    terminal.write_json(text);
    return {};
  }
  terminal.write(fmt::format(
      "{}: {} images, {}, with {} and {}\n  check it anywhere with: sha256sum -c {}\n  "
      "add it elsewhere with: vantro import {}\n",
      options.target, details.size(), base::size_text(total), kManifest, kSums, kSums,
      options.target));
  return {};
}

// -- Import --

// A file of the export, whose bytes `read` gives.
struct Incoming {
  std::string path;
  std::uint64_t size = 0;
  std::function<tl::expected<std::size_t, Failure>(char* to, std::size_t count)> read;
};

class Importer {
 public:
  Importer(const Context& context, const ImportOptions& options)
      : context_(context), options_(options), terminal_(stdout) {}

  Done plan(const std::string& text) {
    auto manifest = api::read_answer<Manifest>(text);
    if (!manifest || manifest->format != kFormat) {
      return bad_file(options_.source, "has no contents.json of an export");
    }
    manifest_ = std::move(*manifest);
    if (manifest_.version > kVersion) {
      return bad_file(options_.source,
                      "was written by a newer vantro; use that one to import it");
    }
    for (const auto& image : manifest_.images) {
      expect(image.file, {&image, nullptr});
      for (const auto& one : image.documents) expect(one.file, {&image, &one});
    }
    if (!bad_path_.empty()) {
      return bad_file(
          options_.source,
          fmt::format("contents.json names '{}', which is not a path in the export",
                      shown(bad_path_)));
    }
    return {};
  }
  const auto& expected() const { return expected_; }

  // Ends the import only if nothing more can succeed.
  Done take(const Incoming& file) {
    const auto found = expected_.find(file.path);
    if (found == expected_.end()) return {};
    const auto [image, document] = found->second;
    expected_.erase(found);
    const auto done = document == nullptr ? take_image(file, *image)
                                          : take_document(file, image->name, *document);
    if (done) return {};
    const auto& failure = done.error();
    if (failure.code == ExitCode::kNoServer || failure.code == ExitCode::kToken) {
      return done;
    }
    failures_.push_back(fmt::format("{}: {}", file.path, failure.sentence));
    worst_ = failure.code == ExitCode::kChecksum ? failure.code : worst_;
    return {};
  }

  // The archive is truncated; everything before that is imported.
  void cut(const std::string& why) {
    failures_.push_back(
        fmt::format("{} is truncated or damaged ({}); the members before that "
                    "is in. Copy it again, and import it once more",
                    options_.source, why));
    cut_ = true;
  }

  Done finish() {
    bar_.reset();
    for (const auto& [path, entry] : expected_) {
      failures_.push_back(path + (cut_ ? ": is in the missing part"
                                       : ": is missing, but named in contents.json"));
    }
    for (const auto& kit : manifest_.kits) add_kit(kit);
    if (context_.json) {
      terminal_.write_json(
          api::indented(api::json_of(Imports{taken_, known_, failures_})) + "\n");
    } else {
      for (const auto& one : failures_) {
        terminal_.write(terminal_.toned("FAILED  " + shown(one), Tone::kBad) + "\n");
      }
      terminal_.write(fmt::format("{}: {} images added, {} known already, {} failed\n",
                                  options_.source, taken_, known_, failures_.size()));
    }
    if (failures_.empty()) return {};
    return tl::unexpected(Failure{worst_, ""});
  }

 private:
  // Both are in the manifest; a document belongs to that image.
  using Entry = std::pair<const ManifestImage*, const ManifestDocument*>;

  void expect(const std::string& path, Entry entry) {
    const auto clean = base::visible_name(path);
    if (!clean || *clean != path) bad_path_ = path;
    expected_.emplace(path, entry);
  }

  Done take_image(const Incoming& file, const ManifestImage& image) {
    // Compared with the manifest; whether the maker agrees is told below.
    api::ImageGiven given;
    given.name = image.name;
    given.expect = {"sha256:" + image.digests.sha256};
    given.vouch = false;
    // A guess there is guessed again here: as a fact it would be a person's word.
    given.suggest = !image.facts.guessed.empty();
    given.hold = given.despite_findings = true;
    const auto& facts = image.facts;
    given.fact = {{"maker", facts.maker},
                  {"platform", fmt::format("{}", fmt::join(facts.platform, ", "))},
                  {"hardware", fmt::format("{}", fmt::join(facts.hardware, ", "))},
                  {"role", facts.role},
                  {"version", facts.version},
                  {"line", facts.line},
                  {"stage", facts.stage},
                  {"space", facts.space ? std::to_string(*facts.space) : ""},
                  {"remarks", facts.remarks},
                  {"source", facts.source}};
    for (const auto& guessed : facts.guessed) given.fact.erase(guessed);
    std::erase_if(given.fact, [](const auto& one) { return one.second.empty(); });
    if (!bar_) {
      std::uint64_t total = 0;
      for (const auto& one : manifest_.images) total += one.size;
      bar_.emplace(context_.view, "importing", total);
    }
    const auto added = context_.api.put(api::kAddImage, given, file.size,
                                        [&](char* to, std::size_t count) {
                                          auto got = file.read(to, count);
                                          if (got) bar_->advance(done_ += *got);
                                          return got;
                                        });
    if (!added) return tl::unexpected(added.error());
    const bool was_known = added->value.result == "already-there";
    ++(was_known ? known_ : taken_);
    if (was_known) return {};
    std::map<std::string, std::vector<std::string>> by_source;
    for (const auto& vouch : image.vouches) {
      if (!vouch.retracted_at.empty()) continue;
      auto source = vouch.source;
      if (!vouch.signer.empty()) source += ", signed by " + vouch.signer;
      by_source[source + (source.empty() ? "imported" : ", imported")].push_back(
          vouch.algorithm + ":" + vouch.hex);
    }
    for (const auto& [source, sums] : by_source) {
      const auto told = context_.api.call(api::kVouchImage, {image.name},
                                          {sums, std::nullopt, "", "", source});
      if (!told) return tl::unexpected(told.error());
    }
    if (!image.withdrawn.empty()) {
      const auto gone =
          context_.api.call(api::kWithdrawImage, {image.name}, {image.withdrawn});
      if (!gone) return tl::unexpected(gone.error());
      return {};
    }
    if (options_.hold) return {};
    for (const auto& offer : image.offers) {
      const auto made = context_.api.call(
          api::kAddOffer, {},
          {image.name, offer.name, offer.to,
           fmt::format("{}", fmt::join(offer.over, ",")), offer.until.value_or("")});
      // The image is imported; what its name stands for is up to this server.
      if (!made) failures_.push_back(offer.name + ": " + made.error().sentence);
    }
    return {};
  }

  Done take_document(const Incoming& file, const std::string& image,
                     const ManifestDocument& document) {
    crypto::Digester digester;
    const auto read = [&](char* to,
                          std::size_t count) -> tl::expected<std::size_t, Failure> {
      const auto got = file.read(to, count);
      if (got) digester.update(base::as_bytes({to, *got}));
      return got;
    };
    const api::DocumentAsked which{image, document.name};
    const auto added = context_.api.put(api::kAttachDocument, which, file.size, read);
    if (!added) return tl::unexpected(added.error());
    if (digester.finish().sha256 == document.sha256) return {};
    // It is release notes: removed again.
    if (auto gone = context_.api.call(api::kDetachDocument, which); !gone) {
      return tl::unexpected(gone.error());
    }
    return tl::unexpected(Failure{ExitCode::kChecksum, "its checksum differs"});
  }

  void add_kit(const api::Kit& kit) {
    api::KitWanted wanted{kit.name, kit.remarks, {}, {}};
    for (const auto& part : kit.parts) {
      wanted.images.push_back(part.image);
      wanted.part_remarks.push_back(part.remark);
    }
    if (context_.api.call(api::kKit, {kit.name})) return;
    if (const auto made = context_.api.call(api::kAddKit, {}, wanted); !made) {
      failures_.push_back("kit " + kit.name + ": " + made.error().sentence);
    }
  }

  const Context& context_;
  const ImportOptions& options_;
  Terminal terminal_;
  Manifest manifest_;  // constant after planning
  std::map<std::string, Entry> expected_;
  std::optional<Progress> bar_;  // once there is an image to import
  std::uint64_t done_ = 0;       // bytes of images
  std::string bad_path_;
  std::vector<std::string> failures_;
  std::size_t taken_ = 0;
  std::size_t known_ = 0;
  ExitCode worst_ = ExitCode::kRefused;
  bool cut_ = false;
};

Done import_folder(Importer& importer, const std::string& folder) {
  auto text = read_text(folder + "/" + kManifest, kLongestManifest);
  if (!text) text = read_text(folder + "/" + kOldManifest, kLongestManifest);
  if (!text) return tl::unexpected(text.error());
  if (auto planned = importer.plan(*text); !planned) return planned;
  // Images before their documents.
  std::vector<std::string> paths;
  for (const auto& [path, entry] : importer.expected()) paths.push_back(path);
  std::stable_partition(paths.begin(), paths.end(),
                        [](const auto& path) { return path.starts_with("images/"); });
  for (const auto& path : paths) {
    const auto file = open_file(folder + "/" + path);
    if (!file) continue;  // it is reported as missing
    const auto read = [&](char* to,
                          std::size_t count) -> tl::expected<std::size_t, Failure> {
      const auto got = ::read(file->fd.get(), to, count);
      if (got < 0) return file_failure(path, errno);
      return static_cast<std::size_t>(got);
    };
    if (auto taken = importer.take({path, file->size, read}); !taken) return taken;
  }
  return importer.finish();
}

Done import_tar(Importer& importer, const std::string& file) {
  struct Free {
    void operator()(struct archive* a) const { ::archive_read_free(a); }
  };
  const std::unique_ptr<struct archive, Free> archive(::archive_read_new());
  ::archive_read_support_format_tar(archive.get());
  const auto why = [&] {
    const char* text = ::archive_error_string(archive.get());
    return std::string(text == nullptr ? "can't be read" : text);
  };
  constexpr std::size_t kBlock = 1 << 20;
  if (::archive_read_open_filename(archive.get(), file.c_str(), kBlock) != ARCHIVE_OK) {
    return bad_file(file, why());
  }
  bool planned = false;
  struct archive_entry* entry = nullptr;
  int result = ARCHIVE_OK;
  while ((result = ::archive_read_next_header(archive.get(), &entry)) == ARCHIVE_OK) {
    const char* path = ::archive_entry_pathname_utf8(entry);
    const auto read = [&](char* to,
                          std::size_t count) -> tl::expected<std::size_t, Failure> {
      const auto got = ::archive_read_data(archive.get(), to, count);
      if (got < 0) return bad_file(file, why());
      return static_cast<std::size_t>(got);
    };
    const auto size = static_cast<std::uint64_t>(::archive_entry_size(entry));
    if (!planned) {
      const std::string_view name = path == nullptr ? "" : path;
      if ((name != kManifest && name != kOldManifest) || size > kLongestManifest) {
        return bad_file(file, "does not begin with the contents of an export");
      }
      std::string text(size, '\0');
      std::size_t have = 0;
      while (have < size) {
        const auto got = read(text.data() + have, size - have);
        if (!got) return tl::unexpected(got.error());
        if (*got == 0) break;
        have += *got;
      }
      if (auto done = importer.plan(text); !done) return done;
      planned = true;
      continue;
    }
    if (path == nullptr) continue;
    if (auto taken = importer.take({path, size, read}); !taken) return taken;
  }
  if (!planned) return bad_file(file, result == ARCHIVE_EOF ? "is empty" : why());
  if (result != ARCHIVE_EOF) importer.cut(why());
  return importer.finish();
}

// Every file is compared with its checksum; a file that differs is not added, the others
// are. Then it fails with kChecksum.
Done import_images(const Context& context, const ImportOptions& options) {
  Importer importer(context, options);
  std::error_code error;
  if (fs::is_directory(options.source, error)) {
    return import_folder(importer, options.source);
  }
  const auto opened = open_file(options.source);
  if (!opened) return tl::unexpected(opened.error());
  return import_tar(importer, options.source);
}

}  // namespace

void export_commands(const Command& top) {
  {
    auto& o = top.keep<ExportOptions>();
    const auto command =
        top.add("export", "Write images to a folder or NAME.tar for another server",
                [&o](const Context& c) { return export_images(c, o); });
    command.value("TARGET", o.target, "New folder, or NAME.tar").required();
    command.value("IMAGE", o.images, "Images to write (default: all)");
    command.flag("--with-withdrawn", o.with_withdrawn, "Include withdrawn images");
    command.example("export /media/usb/images")
        .example("export site.tar causeway4-system-7.6.0.img")
        .related({"import"});
  }
  auto& o = top.keep<ImportOptions>();
  const auto command = top.add("import", "Add the images that 'vantro export' wrote",
                               [&o](const Context& c) { return import_images(c, o); });
  command.value("SOURCE", o.source, "Folder or tar archive").required();
  command.flag("--hold", o.hold, "Keep them off offer");
  command.example("import /media/usb/images --hold").related({"export", "image add"});
}

}  // namespace vantro::client
