#include "client/images.h"

#include <algorithm>
#include <cerrno>
#include <filesystem>
#include <fmt/format.h>
#include <iostream>
#include <optional>
#include <unistd.h>

#include "api/catalogue.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "client/adopt.h"
#include "client/image_changes.h"
#include "client/progress.h"
#include "client/render.h"
#include "client/send_image.h"
#include "crypto/checksum_list.h"
#include "crypto/digests.h"
#include "crypto/signature.h"

namespace vantro::client {
namespace {

using Align = Table::Align;

struct ImageAddOptions {
  std::string file;
  std::string name;  // empty: the file's own
  ChecksumOptions checksums;
  api::FactFields facts;
  bool hold = false;
  bool despite_findings = false;
  bool yes = false;  // take suggestions without asking
  bool recursive = false;
  bool keep_paths = false;
};

Tone tone_of_verdict(const std::string& verdict) {
  if (verdict == "whole") return Tone::kGood;
  return verdict == "unknown" || verdict.empty() ? Tone::kPlain : Tone::kBad;
}

Cell offer_cell(const api::Image& image) {
  if (image.withdrawn) return {"withdrawn", Tone::kBad};
  if (!image.whole) return {"damaged", Tone::kBad};
  return image.on_offer ? Cell{"on offer", Tone::kGood} : Cell{"held", Tone::kFaint};
}

void line(const Terminal& terminal, const char* label, const std::string& text,
          Tone tone = Tone::kPlain) {
  if (text.empty()) return;
  terminal.write(
      fmt::format("  {:<12}{}\n", label, terminal.toned(shown(text, 4000), tone)));
}

void write_facts(const Terminal& terminal, const api::Facts& f) {
  line(terminal, "maker", f.maker);
  const auto guessed = [&](const char* fact) {
    const bool is =
        std::find(f.guessed.begin(), f.guessed.end(), fact) != f.guessed.end();
    return is ? " (guessed from the name)" : "";
  };
  line(terminal, "platform",
       f.platform.empty()
           ? ""
           : fmt::format("{}{}", fmt::join(f.platform, ", "), guessed("platform")));
  line(terminal, "hardware", fmt::format("{}", fmt::join(f.hardware, ", ")));
  line(terminal, "role", f.role.empty() ? "" : f.role + guessed("role"));
  line(terminal, "version",
       f.version.empty() ? ""
       : f.line.empty()
           ? f.version + guessed("version")
           : fmt::format("{} (line {}){}", f.version, f.line, guessed("version")));
  line(terminal, "stage", f.stage);
  if (f.space) line(terminal, "needs", exact_size(*f.space) + " on the device");
  line(terminal, "remarks", f.remarks, Tone::kHead);
  line(terminal, "source", f.source);
}

// "sha256:HEX" as url and JSON want it.
Done add_expected(std::vector<std::string>& to, const std::string& text) {
  const auto parsed = crypto::Expected::parse(text);
  if (!parsed) return wrong_use(parsed.error().sentence);
  auto title = base::folded(crypto::title(parsed->algorithm));
  std::erase(title, '-');
  to.push_back(title + ":" + parsed->hex);
  return {};
}

// Reads the whole file; its SHA-256.
Result<std::string> sha256_of(const View& view, const std::string& name) {
  auto file = open_file(name);
  if (!file) return tl::unexpected(file.error());
  Progress bar(view, shown(std::string(base::last_part(name)), 40), file->size);
  crypto::Digester digester;
  base::ByteBuffer piece(1 << 20);
  std::uint64_t done = 0;
  while (true) {
    const auto got = ::read(file->fd.get(), piece.data(), piece.size());
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) return file_failure(name, errno);
    if (got == 0) return digester.finish().sha256;
    digester.update({piece.data(), static_cast<std::size_t>(got)});
    bar.advance(done += static_cast<std::uint64_t>(got));
  }
}

bool asked_and_agreed(const std::vector<api::Suggestion>& suggestions) {
  const Terminal terminal(stderr);
  terminal.write("What the name tells:\n");
  for (const auto& one : suggestions) {
    terminal.write(
        fmt::format("  {:<10}{}  ({})\n", one.fact, shown(one.text), shown(one.origin)));
  }
  terminal.write("Use these facts? [Y/n] ");
  std::string answer;
  return std::getline(std::cin, answer) &&
         (answer.empty() || answer.front() == 'y' || answer.front() == 'Y');
}

void write_added(const Terminal& terminal, const ImageAddOptions& options,
                 const api::ImageAdded& added, const std::string& name, bool declined) {
  if (added.result == "already-there") {
    terminal.write(
        fmt::format("{}: these bytes are known under this name already\n", shown(name)));
  } else if (added.result == "new-name") {
    terminal.write(fmt::format("{}: the same bytes as {}, which now has this name too\n",
                               shown(name), shown(added.image.name)));
  } else {
    terminal.write(fmt::format("{}: added\n", shown(name)));
  }
  line(terminal, "size", exact_size(added.image.size));
  line(terminal, "SHA-256", added.image.digests.sha256);
  if (!added.kind.empty()) line(terminal, "is", added.kind);
  for (const auto& finding : added.findings) {
    line(terminal, "inside", finding, tone_of_verdict(added.image.verdict));
  }
  if (added.members_in_all > 0) {
    line(terminal, "",
         fmt::format("it contains {}; 'vantro image info' lists them",
                     counted(added.members_in_all, "file")));
  }
  write_facts(terminal, added.image.facts);
  // The origin of facts that nobody gave.
  const auto given = api::given_texts(options.facts);
  std::vector<std::string> origins;
  for (const auto& one : added.suggestions) {
    if (declined || given.contains(one.fact)) continue;
    if (std::find(origins.begin(), origins.end(), one.origin) == origins.end()) {
      origins.push_back(one.origin);
    }
  }
  if (!origins.empty()) {
    line(terminal, "told by", fmt::format("{}", fmt::join(origins, "; ")), Tone::kFaint);
  }
  line(terminal, "maker says",
       vouching_text(added.image.vouching) +
           (added.compared ? ": the checksum is as expected" : ""),
       tone_of_vouching(added.image.vouching));
  if (!added.offer.empty()) {
    terminal.write(
        fmt::format("On offer. Devices must type exactly: {}\n", shown(added.offer)));
  } else if (!added.note.empty()) {
    terminal.write(terminal.toned(
        fmt::format("Not on offer: {}\n", shown(added.note, 600)), Tone::kBad));
  } else if (options.hold && !added.image.on_offer) {
    terminal.write(fmt::format("Held: not on offer. Offer it with: vantro offer add {}\n",
                               shown(name)));
  }
  for (const auto& one : added.not_done) {
    terminal.write(
        terminal.toned(fmt::format("Not done: {}\n", shown(one, 600)), Tone::kBad));
  }
}

// The maker's checksums for a file of this name, from the options; a list's signature is
// checked first.
Result<std::vector<std::string>> expected_for(const ChecksumOptions& options,
                                              const std::string& name) {
  std::vector<std::string> expected;
  for (const auto& one : options.expect) {
    if (auto added = add_expected(expected, one); !added) {
      return tl::unexpected(added.error());
    }
  }
  if (options.list.empty()) {
    if (!options.signature.empty() || !options.key.empty()) {
      return wrong_use("--signature and --key need a checksum list; give --list");
    }
    return expected;
  }
  const auto list = read_text(options.list);
  if (!list) return tl::unexpected(list.error());
  if (options.signature.empty() != options.key.empty()) {
    return wrong_use(
        "a signature needs the maker's key; give both --signature and --key");
  }
  if (!options.signature.empty()) {
    const auto signature = read_proof(options.signature);
    if (!signature) return tl::unexpected(signature.error());
    const auto key = read_proof(options.key);
    if (!key) return tl::unexpected(key.error());
    const auto made = crypto::check_signature(*list, *signature, *key);
    if (!made) {
      return tl::unexpected(Failure{made.error().kind == base::Kind::kMismatch
                                        ? ExitCode::kChecksum
                                        : ExitCode::kUsage,
                                    options.signature + ": " + made.error().sentence});
    }
  }
  const auto parsed = crypto::parse_checksum_list(*list);
  if (!parsed) return wrong_use(options.list + ": " + parsed.error().sentence);
  const auto own = parsed->of(name);
  if (own.empty()) {
    return tl::unexpected(
        Failure{ExitCode::kNotFound,
                fmt::format("{} has {} checksums, and none is for "
                            "'{}'",
                            options.list, parsed->checksums.size(), shown(name))});
  }
  for (const auto& one : own) {
    if (auto added = add_expected(expected, one.expected.hex); !added) {
      return tl::unexpected(added.error());
    }
  }
  return expected;
}

Done add_folder(const Context& context, const ImageAddOptions& options) {
  if (!options.name.empty() || !options.checksums.expect.empty() ||
      !options.checksums.list.empty()) {
    return wrong_use(
        "the files of a folder keep their names, and lists beside them are found; leave "
        "out --name, --expect and --list");
  }
  AdoptOptions adopted{options.file, options.keep_paths, {}};
  adopted.given.source = options.checksums.source;
  adopted.given.hold = options.hold;
  adopted.given.despite_findings = options.despite_findings;
  adopted.given.fact = api::given_texts(options.facts);
  return adopt(context, adopted);
}

Done add_image(const Context& context, const ImageAddOptions& options) {
  std::error_code failed;
  if (std::filesystem::is_directory(options.file, failed)) {
    if (options.recursive) return add_folder(context, options);
    return tl::unexpected(Failure{
        ExitCode::kFile, fmt::format("{} is a folder; --recursive adds everything "
                                     "below it",
                                     shown(options.file))});
  }
  const auto file = open_file(options.file);
  if (!file) return tl::unexpected(file.error());
  const auto name =
      options.name.empty() ? std::string(base::last_part(options.file)) : options.name;
  const auto expected =
      expected_for(options.checksums, std::string(base::last_part(options.file)));
  if (!expected) return tl::unexpected(expected.error());
  api::ImageGiven given;
  given.name = name;
  given.expect = *expected;
  given.source = options.checksums.source;
  // A signed list is used as a whole, below.
  const bool signed_list = !options.checksums.signature.empty();
  given.vouch = !signed_list;
  given.hold = options.hold;
  given.despite_findings = options.despite_findings;
  given.fact = api::given_texts(options.facts);
  bool declined = false;
  if (!options.yes && !context.json && ::isatty(STDIN_FILENO) == 1) {
    auto told = context.api.call(api::kSuggestions, {name});
    if (!told) return tl::unexpected(told.error());
    auto& suggestions = told->value.suggestions;
    std::erase_if(suggestions,
                  [&](const auto& one) { return given.fact.contains(one.fact); });
    declined = !suggestions.empty() && !asked_and_agreed(suggestions);
    given.suggest = !declined;
  }
  std::optional<Progress> bar(std::in_place, context.view, shown(name, 40), file->size);
  auto answer = send_image(context, *file, options.file, given, *bar);
  bar.reset();
  if (!answer) {
    auto failure = answer.error();
    if (failure.code == ExitCode::kChecksum) {
      failure.sentence += fmt::format("\n  expected  {}\n  received  {}",
                                      failure.problem.expected, failure.problem.actual);
    }
    return tl::unexpected(std::move(failure));
  }
  if (signed_list) {
    auto checksums = options.checksums;
    checksums.expect.clear();
    const auto vouched = send_vouches(context.api, name, checksums);
    if (!vouched) return tl::unexpected(vouched.error());
    answer->value.image = vouched->value.image;
    answer = answered(std::move(answer->value));
  }
  const auto done = show_answer(
      context, answer, [&](const Terminal& terminal, const api::ImageAdded& added) {
        write_added(terminal, options, added, name, declined);
      });
  if (!done || answer->value.not_done.empty()) return done;
  return tl::unexpected(Failure{ExitCode::kRefused, ""});
}

Done list_images(const Context& context, const api::ImageFilter& options) {
  return show(
      context, api::kImages, options,
      [&](const Terminal& terminal, const api::ImageList& list) {
        Table table({{"PLATFORM", Table::Align::kLeft, 0, true},
                     {"ROLE", Table::Align::kLeft, 0, true},
                     {"VERSION"},
                     {"MARK", Table::Align::kLeft, 4},
                     {"IMAGE"},
                     {"SIZE", Table::Align::kRight, 1},
                     {"STAGE", Table::Align::kLeft, 5},
                     {"VOUCHING", Table::Align::kLeft, 3},
                     {"OFFER"}});
        for (const auto& row : list.images) {
          const auto& image = row.image;
          // Of its line: an older line has a newest one, too.
          std::string mark = !row.newest                ? ""
                             : image.facts.line.empty() ? "newest"
                                                        : "newest in " + image.facts.line;
          if (row.confusable) mark += row.newest ? ", look-alike" : "look-alike";
          table.add({{row.platform.empty() ? "(none)" : row.platform, Tone::kHead},
                     {image.facts.role},
                     {image.facts.version},
                     {mark, row.confusable ? Tone::kBad : Tone::kGood},
                     {image.name},
                     {base::size_text(image.size)},
                     {image.facts.stage},
                     {vouching_text(image.vouching), tone_of_vouching(image.vouching)},
                     offer_cell(image)});
        }
        api::ImageFilter all;
        all.limit = options.limit;
        const bool filtered = api::json_of(options) != api::json_of(all);
        write_or(table, terminal,
                 filtered ? "Not in the catalogue: no image matches."
                          : "No images yet. Add one with: vantro image add FILE");
        if (list.and_more || list.in_all > list.images.size()) {
          terminal.write(fmt::format(
              "{} of {}{} shown; filter (--platform, --version, --name ...) or raise "
              "--limit.\n",
              list.images.size(), list.and_more ? "more than " : "", list.in_all));
        }
      });
}

Done show_image(const Context& context, const std::string& name) {
  return show(
      context, api::kImage, {name},
      [](const Terminal& terminal, const api::ImageDetail& detail) {
        constexpr std::size_t kMembersShown = 20;
        const auto& image = detail.image;
        terminal.write(terminal.toned(shown(image.name), Tone::kHead) + "\n");
        for (const auto& other : detail.names) {
          if (other != image.name) line(terminal, "also named", other);
        }
        line(terminal, "size", exact_size(image.size));
        write_facts(terminal, image.facts);
        for (const auto& other : detail.look_alikes) {
          line(terminal, "CAUTION",
               fmt::format("easily mistaken for {} ({})", other.version, other.name),
               Tone::kBad);
        }
        line(terminal, "MD5", digest_text(image.digests.md5));
        line(terminal, "SHA-1", digest_text(image.digests.sha1));
        line(terminal, "SHA-256", image.digests.sha256);
        line(terminal, "SHA-512", digest_text(image.digests.sha512));
        line(terminal, "maker says", vouching_text(image.vouching),
             tone_of_vouching(image.vouching));
        for (const auto& vouch : detail.vouches) {
          line(terminal, "",
               fmt::format(
                   "{} {} ({} by {}{}{}{})", vouch.algorithm,
                   vouch.agrees ? "agrees" : "DIFFERS: the maker says " + vouch.hex,
                   shown_time(vouch.at), vouch.who,
                   vouch.source.empty() ? "" : ", from " + vouch.source,
                   vouch.signer.empty() ? "" : ", signed by " + vouch.signer,
                   vouch.retracted_at.empty() ? "" : "; taken back"),
               vouch.agrees || !vouch.retracted_at.empty() ? Tone::kFaint : Tone::kBad);
        }
        line(terminal, "is", image.kind);
        for (const auto& finding : detail.findings) {
          line(terminal, "inside", finding, tone_of_verdict(image.verdict));
        }
        for (std::size_t i = 0; i < std::min(kMembersShown, detail.members.size()); ++i) {
          line(terminal, i == 0 ? "holds" : "",
               fmt::format("{:>10}  {}", base::size_text(detail.members[i].size),
                           detail.members[i].path));
        }
        if (detail.members_in_all > std::min(kMembersShown, detail.members.size())) {
          line(terminal, "",
               fmt::format("and {} more; --json lists them",
                           detail.members_in_all -
                               std::min(kMembersShown, detail.members.size())));
        }
        for (const auto& document : detail.documents) {
          line(terminal, "document",
               fmt::format("{} ({})", document.name, base::size_text(document.size)));
        }
        for (const auto& kit : detail.kits) line(terminal, "in kit", kit);
        line(terminal, "added",
             fmt::format("{} by {}", shown_time(image.taken_in_at), image.taken_in_by));
        line(terminal, "last read",
             fmt::format("{}, {}", shown_time(image.read_at),
                         image.whole ? "whole" : "DAMAGED: add the same bytes again"),
             image.whole ? Tone::kPlain : Tone::kBad);
        if (image.withdrawn) {
          line(terminal, "withdrawn",
               fmt::format("{}: {}", shown_time(image.withdrawn->at),
                           image.withdrawn->why),
               Tone::kBad);
        }
        for (const auto& offer : detail.offers) {
          line(terminal, "on offer", offer_text(offer),
               offer.held_back.empty() ? Tone::kGood : Tone::kBad);
        }
        if (detail.offers.empty()) line(terminal, "on offer", "no");
      });
}

Done find_image(const Context& context, const std::string& what) {
  std::string checksum = what;
  const bool is_file = ::access(what.c_str(), F_OK) == 0;
  if (is_file) {
    auto sum = sha256_of(context.view, what);
    if (!sum) return tl::unexpected(sum.error());
    checksum = std::move(*sum);
  } else if (const auto parsed = crypto::Expected::parse(what); !parsed) {
    return wrong_use(fmt::format("'{}' is neither a file here nor a checksum ({})",
                                 shown(what), parsed.error().sentence));
  }
  const auto answer = context.api.call(api::kContent, {checksum});
  bool found = false;
  const auto done = show_answer(
      context, answer, [&](const Terminal& terminal, const api::ContentKnown& told) {
        found = told.in_catalogue && told.image;
        if (!found) {
          terminal.write(terminal.toned(
              fmt::format("Not in the catalogue: {}\n", shown(what)), Tone::kBad));
          if (is_file) terminal.write(fmt::format("  SHA-256  {}\n", checksum));
          return;
        }
        const auto& image = *told.image;
        terminal.write(terminal.toned(
            fmt::format("In the catalogue as {}\n", shown(image.name)), Tone::kGood));
        write_facts(terminal, image.facts);
        line(terminal, "maker says", vouching_text(image.vouching),
             tone_of_vouching(image.vouching));
        line(terminal, "offer", offer_cell(image).text);
      });
  if (!done) return done;
  if (context.json) found = answer->value.in_catalogue;
  if (!found) return tl::unexpected(Failure{ExitCode::kNotFound, ""});
  return {};
}

Done compare_images(const Context& context, const api::ImagePair& pair) {
  return show(
      context, api::kCompareImages, pair,
      [](const Terminal& terminal, const api::ImagesCompared& both) {
        if (both.same_bytes) {
          terminal.write(
              terminal.toned("The same bytes: two names of one image.\n", Tone::kGood));
        }
        if (!both.versions.empty()) {
          terminal.write(fmt::format("The second is {}.\n", shown(both.versions, 400)));
        }
        Table table({{""}, {shown(both.a.image.name)}, {shown(both.b.image.name)}});
        table.add(
            {{"size"}, {exact_size(both.a.image.size)}, {exact_size(both.b.image.size)}});
        table.add({{"SHA-256"},
                   {both.a.image.digests.sha256.substr(0, 16) + "..."},
                   {both.b.image.digests.sha256.substr(0, 16) + "..."}});
        for (const auto& fact : both.facts) {
          table.add({{fact.fact},
                     {fact_text(fact.fact, fact.before)},
                     {fact_text(fact.fact, fact.after)}});
        }
        table.add({{"maker says"},
                   {vouching_text(both.a.image.vouching)},
                   {vouching_text(both.b.image.vouching)}});
        if (both.a.image.kind != both.b.image.kind) {
          table.add({{"is"}, {both.a.image.kind}, {both.b.image.kind}});
        }
        table.write(terminal);
        const auto members = [&](const char* label, const std::vector<api::Member>& all) {
          for (const auto& one : all) {
            terminal.write(fmt::format("  {:<22}{:>10}  {}\n", label,
                                       base::size_text(one.size), shown(one.path)));
          }
        };
        members("only in the first", both.only_a);
        members("only in the second", both.only_b);
        members("of another size", both.differing);
      });
}

// The typed value, and how to ask for it.
struct ListOptions {
  api::ImageFilter filter;
  bool held = false;
  std::int64_t limit = 1000;
};

}  // namespace

void image_commands(const Command& top) {
  const auto image = top.group("image", "Manage images");
  {
    auto& o = image.keep<ImageAddOptions>();
    const auto add = image.add("add", "Add an image and offer it",
                               [&o](const Context& c) { return add_image(c, o); });
    add.value("FILE", o.file, "Image on this machine").required();
    add.value("--name", o.name, "Name to give it (default: the file's)");
    checksum_values(add, o.checksums);
    add.fields(o.facts);
    intake_flags(add, o);
    add.flag("--yes", o.yes, "Do not ask; use the facts that the name tells");
    const auto recursive =
        add.flag("--recursive", o.recursive,
                 "FILE is a folder: add all images below it, compared with the checksum "
                 "lists beside them");
    add.flag("--keep-paths", o.keep_paths, "Keep the folders in the names")
        .needs(recursive);
    add.example("image add causeway4-system-7.6.0.img --list SHA256SUMS")
        .example("image add causeway4-system-7.6.0.img --expect sha256:HEX --hold")
        .example("image add /srv/old-tftp --recursive --keep-paths")
        .related({"image vouch", "offer add", "image list", "help offers"})
        .exit_codes(
            "6 the checksum differs, nothing was added; 7 the file cannot be read");
  }
  {
    auto& o = image.keep<ListOptions>();
    const auto list = image.add("list", "List images by platform, role and version",
                                [&o](const Context& c) {
                                  o.filter.limit = o.limit;
                                  return list_images(c, o.filter);
                                });
    list.fields(o.filter);
    list.value("--name", o.filter.text, "Only names that contain this");
    list.value("--vouching", o.filter.vouching,
               "Only these: unvouched, vouched-weakly, vouched or contradicted");
    list.flag(
        "--on-offer", [&o] { o.filter.offered = true; }, "Only images on offer");
    list.flag(
        "--held", [&o] { o.filter.offered = false; }, "Only images not on offer");
    list.flag("--newest", o.filter.newest, "Only the newest of each release line");
    list.value("--limit", o.limit, "Show at most this many rows")
        .show_default()
        .range(1, INT64_MAX);
    list.shows_list()
        .example("image list --platform causeway4 --newest")
        .example("image list --version '>=7.6' --sort size --reverse")
        .related({"image info", "offer list", "image find"});
  }
  {
    auto& name = image.keep<std::string>();
    const auto info =
        image.add("info", "Show everything about one image",
                  [&name](const Context& c) { return show_image(c, name); });
    info.value("IMAGE", name, "Image to show").required();
    info.example("image info causeway4-system-7.6.0.img")
        .example("image info d2f9b1c4")
        .related({"image list", "offer history", "image compare"});
  }
  {
    auto& what = image.keep<std::string>();
    const auto find =
        image.add("find", "Look up a file or a checksum in the catalogue",
                  [&what](const Context& c) { return find_image(c, what); });
    find.value("FILE|CHECKSUM", what, "File on this machine, or a checksum").required();
    find.example("image find ./unknown.bin")
        .related({"image info"})
        .exit_codes("5 no image has that checksum");
  }
  {
    auto& o = image.keep<api::ImagePair>();
    const auto compare =
        image.add("compare", "Compare two images: facts, versions, members",
                  [&o](const Context& c) { return compare_images(c, o); });
    compare.value("IMAGE", o.a, "One image").required();
    compare.value("OTHER", o.b, "The other image").required();
    compare.example("image compare causeway4-system-7.4.2.img causeway4-system-7.6.0.img")
        .related({"image info", "route"});
  }
  image_change_commands(image);
}

}  // namespace vantro::client
