#include "client/image_changes.h"

#include <cerrno>
#include <fmt/format.h>
#include <unistd.h>

#include "api/catalogue.h"
#include "base/visible_name.h"
#include "client/password.h"
#include "client/render.h"

namespace vantro::client {
Result<Answered<api::Vouched>> send_vouches(const ApiClient& api, const std::string& name,
                                            const ChecksumOptions& options) {
  if (options.list.empty() && options.expect.empty()) {
    return wrong_use(
        "give the maker's checksum with --expect, or a list with --list FILE "
        "(- to paste it)");
  }
  api::VouchGiven given;
  given.expect = options.expect;
  given.source = options.source;
  if (!options.list.empty()) given.list.emplace();
  const std::pair<std::string*, const std::string&> files[] = {
      {given.list ? &*given.list : nullptr, options.list},
      {&given.signature, options.signature},
      {&given.key, options.key}};
  for (const auto& [into, file] : files) {
    if (file.empty()) continue;
    auto text = into == &given.signature || into == &given.key ? read_proof(file)
                                                               : read_text(file);
    if (!text) return tl::unexpected(text.error());
    *into = std::move(*text);
  }
  return api.call(api::kVouchImage, {name}, given);
}

void checksum_values(const Command& command, ChecksumOptions& options) {
  command
      .value("--expect", options.expect,
             "Checksum from the maker, HEX or ALGORITHM:HEX; may be given again")
      .several();
  command.value("--list", options.list,
                "The maker's checksum list (GNU or BSD form); - is standard input");
  command.value("--signature", options.signature,
                "Detached signature of the list (minisign or OpenPGP)");
  command.value("--key", options.key, "The maker's public key");
  command.value("--checksum-source", options.source, "Where the checksum came from");
}

namespace {

Done edit_image(const Context& context, const std::string& name,
                const api::FactFields& facts) {
  if (api::given_texts(facts).empty()) {
    return wrong_use("nothing to change: give a fact, such as --version 7.6.0");
  }
  return show_answer(
      context, context.api.call(api::kEditImage, {name}, facts),
      [&](const Terminal& terminal, const api::FactChanges& answer) {
        const auto& changes = answer.changes;
        if (changes.empty()) {
          terminal.write(fmt::format("{}: nothing has changed\n", shown(name)));
        }
        for (const auto& one : changes) {
          terminal.write(fmt::format("{}: {}: {} -> {}\n", shown(name), one.fact,
                                     shown(fact_text(one.fact, one.before), 400),
                                     shown(fact_text(one.fact, one.after), 400)));
        }
      });
}

Done withdraw_image(const Context& context, const std::string& name,
                    const std::string& why) {
  return show_answer(
      context, context.api.call(api::kWithdrawImage, {name}, {why}),
      [&](const Terminal& terminal, const api::EndedOffers& answer) {
        terminal.write(
            fmt::format("{}: withdrawn. Devices that ask for it are "
                        "told: {}\n",
                        shown(name), shown(why, 400)));
        for (const auto& offer : answer.ended) {
          terminal.write(fmt::format("  no longer on offer: {}\n", shown(offer.name)));
        }
      });
}

Done return_image(const Context& context, const std::string& name, bool with_offers) {
  return show(
      context, api::kReturnImage, {name, with_offers},
      [&](const Terminal& terminal, const api::ImageReturned& answer) {
        terminal.write(fmt::format("{}: no longer withdrawn\n", shown(name)));
        for (const auto& offer : answer.back) {
          terminal.write(fmt::format("  on offer again: {}\n", offer_text(offer)));
        }
        for (const auto& offer : answer.not_back) {
          terminal.write(fmt::format("  no longer on offer: {}\n", offer_text(offer)));
        }
        if (answer.back.empty() && answer.not_back.empty()) {
          terminal.write(
              fmt::format("Offer it with: vantro offer add {}\n", shown(name)));
        } else if (!answer.not_back.empty() && !with_offers) {
          terminal.write(
              fmt::format("The withdrawal ended these offers. Put one back with: vantro "
                          "offer add {} --name NAME\n",
                          shown(name)));
        } else if (!answer.not_back.empty()) {
          terminal.write(
              "These could not be restored: their time is over, or their names belong to "
              "something else now.\n");
        }
      });
}

struct ExtractOptions {
  std::string archive;
  std::vector<std::string> members;
  api::ExtractWanted wanted;
};

Done extract(const Context& context, const ExtractOptions& options) {
  if (options.members.size() > 1 && !options.wanted.as.empty()) {
    return wrong_use("--name is for one member; use one call for each");
  }
  const Terminal terminal(stdout);
  JsonList list(terminal, "extracted");
  for (const auto& member : options.members) {
    auto wanted = options.wanted;
    wanted.member = member;
    const auto answer = context.api.call(api::kExtractMember, {options.archive}, wanted);
    if (!answer) return tl::unexpected(answer.error());
    if (context.json) {
      list.add(answer->text);
      continue;
    }
    if (const auto& document = answer->value.document) {
      terminal.write(fmt::format("{}: attached {}, {}\n", shown(wanted.document_of),
                                 shown(document->name), exact_size(document->size)));
      continue;
    }
    const auto& added = *answer->value.added;
    terminal.write(fmt::format(
        "{}: {}, {}{}\n", shown(member),
        added.result == "already-there" ? "known already as " + shown(added.image.name)
                                        : "added as " + shown(added.image.name),
        exact_size(added.image.size),
        added.compared ? ", the checksum matches the archive's own list"
                       : ", no list in the archive has its "
                         "checksum"));
    if (!added.offer.empty()) {
      terminal.write(
          fmt::format("  On offer. Devices must type exactly: {}\n", shown(added.offer)));
    } else if (!added.note.empty()) {
      terminal.write(terminal.toned(
          fmt::format("  Not on offer: {}\n", shown(added.note, 600)), Tone::kBad));
    }
  }
  if (context.json) list.end();
  return {};
}

// Asks for the name a second time, because a removed image cannot be restored.
Done remove_image(const Context& context, const std::string& name, bool yes) {
  const auto asked = ask_first(
      context, yes, fmt::format("Remove '{}' and its bytes for good?", shown(name)));
  if (!asked) return asked;
  return show_answer(context, context.api.call(api::kRemoveImage, {name, name}),
                     [&](const Terminal& terminal, const api::Nothing&) {
                       terminal.write(fmt::format("{}: removed for good\n", shown(name)));
                     });
}

Done vouch_image(const Context& context, const std::string& name,
                 const ChecksumOptions& options, bool retract) {
  const auto answer = retract ? context.api.call(api::kRetractVouches, {name})
                              : send_vouches(context.api, name, options);
  bool contradicted = false;
  const auto done = show_answer(
      context, answer, [&](const Terminal& terminal, const api::Vouched& told) {
        const auto& image = told.image;
        for (const auto& vouch : told.vouches) {
          terminal.write(fmt::format(
              "{}: {} {}{}\n", shown(name), vouch.algorithm,
              vouch.agrees ? "agrees" : "DIFFERS",
              vouch.signer.empty() ? "" : ", signed by " + shown(vouch.signer)));
          if (!vouch.agrees) {
            terminal.write(fmt::format("  maker  {}\n", vouch.hex));
          }
        }
        terminal.write(terminal.toned(
            fmt::format("{}: {}\n", shown(name), vouching_text(image.vouching)),
            tone_of_vouching(image.vouching)));
        if (image.vouching == "vouched-weakly") {
          terminal.write(
              "  MD5 and SHA-1 can be forged; ask the maker for SHA-256 or SHA-512.\n");
        }
        if (image.vouching != "contradicted") return;
        contradicted = true;
        terminal.write(
            "  It is off offer now. If that was another file's checksum, undo it with "
            "--undo.\n");
      });
  if (!done) return done;
  if (contradicted) return tl::unexpected(Failure{ExitCode::kChecksum, ""});
  return {};
}

Done save_image(const Context& context, const std::string& name, const std::string& to,
                bool force) {
  const auto answer = context.api.call(api::kImage, {name});
  if (!answer) return tl::unexpected(answer.error());
  const auto& image = answer->value.image;
  const auto file = to.empty() ? std::string(base::last_part(name)) : to;
  const auto saved = save(context, api::kImageContent.target({name}), file, force,
                          {image.size, image.digests.sha256});
  if (!saved || file == "-") return saved;
  return show_answer(
      context, answer, [&](const Terminal& terminal, const api::ImageDetail&) {
        terminal.write(fmt::format("{}: {}, {}\n  SHA-256 {} as recorded\n", file,
                                   shown(image.name), exact_size(image.size),
                                   image.digests.sha256));
      });
}

Done recognise(const Context& context, const std::string& name) {
  return show(
      context, api::kSuggestions, {name},
      [&](const Terminal& terminal, const api::SuggestionList& all) {
        Table table({{"FACT"}, {"WOULD BE"}, {"ORIGIN"}});
        for (const auto& one : all.suggestions) {
          table.add({{one.fact}, {one.text}, {one.origin, Tone::kFaint}});
        }
        write_or(
            table, terminal,
            fmt::format(
                "No recogniser matches '{}'; add one to the settings, [[recogniser]]",
                shown(name)));
      });
}

Done recognise_all(const Context& context, bool fill) {
  return show_answer(
      context, context.api.call(api::kRecogniseAll, {}, {fill}),
      [&](const Terminal& terminal, const api::RecognisedList& answer) {
        Table table({{"IMAGE"}, {"FACT"}, {fill ? "IS NOW" : "WOULD BE"}, {"ORIGIN"}});
        for (const auto& one : answer.recognised) {
          table.add({{one.image}, {one.fact}, {one.text}, {one.origin, Tone::kFaint}});
        }
        write_or(table, terminal, "No image lacks a fact that its name tells.");
        if (!fill && !answer.recognised.empty()) {
          terminal.write(
              "Nothing was changed; set these facts with: vantro image "
              "recognise --all --fill\n");
        }
      });
}

Done attach_document(const Context& context, const std::string& image,
                     const std::string& file) {
  const auto opened = open_file(file);
  if (!opened) return tl::unexpected(opened.error());
  const auto answer = context.api.put(
      api::kAttachDocument, {image, std::string(base::last_part(file))}, opened->size,
      [&](char* to, std::size_t count) -> tl::expected<std::size_t, Failure> {
        const auto got = ::read(opened->fd.get(), to, count);
        if (got < 0) return file_failure(file, errno);
        return static_cast<std::size_t>(got);
      });
  return show_answer(
      context, answer, [&](const Terminal& terminal, const api::Document& document) {
        terminal.write(fmt::format("{}: attached {}, {}\n", shown(image),
                                   shown(document.name), exact_size(document.size)));
      });
}

Done save_document(const Context& context, const std::string& image,
                   const std::string& document, const std::string& to, bool force) {
  const auto answer = context.api.call(api::kImage, {image});
  if (!answer) return tl::unexpected(answer.error());
  for (const auto& one : answer->value.documents) {
    if (one.name != document) continue;
    const auto file = to.empty() ? std::string(base::last_part(document)) : to;
    const auto saved = save(context, api::kDocument.target({image, document}), file,
                            force, {one.size, one.sha256});
    if (!saved || file == "-") return saved;
    const Terminal terminal(stdout);
    if (context.json) {
      terminal.write_json(api::indented(api::json_of(one)) + "\n");
    } else {
      terminal.write(fmt::format("{}: {}\n", file, exact_size(one.size)));
    }
    return {};
  }
  return tl::unexpected(Failure{
      ExitCode::kNotFound, fmt::format("{} has no document '{}'; 'vantro image info' "
                                       "lists them",
                                       shown(image), shown(document))});
}

Done detach_document(const Context& context, const std::string& image,
                     const std::string& document, bool yes) {
  const auto asked = ask_first(
      context, yes,
      fmt::format("Remove the document '{}' of '{}'?", shown(document), shown(image)));
  if (!asked) return asked;
  return show(
      context, api::kDetachDocument, {image, document},
      [&](const Terminal& terminal, const api::Nothing&) {
        terminal.write(fmt::format("{}: {} removed\n", shown(image), shown(document)));
      });
}

struct Named {
  std::string name, other, to;
  bool force = false;
};

}  // namespace

void image_change_commands(const Command& image) {
  const auto named = [](const Command& group, const char* command, const char* about,
                        auto run) {
    auto& o = group.keep<Named>();
    const auto sub =
        group.add(command, about, [&o, run](const Context& c) { return run(c, o); });
    sub.value("IMAGE", o.name, "Image that is meant").required();
    return std::pair<const Command, Named&>(sub, o);
  };
  {
    struct Change {
      std::string name;
      api::FactFields facts;
    };
    auto& o = image.keep<Change>();
    const auto change =
        image.add("change", "Change facts of an image; \"\" clears one",
                  [&o](const Context& c) { return edit_image(c, o.name, o.facts); });
    change.value("IMAGE", o.name, "Image to change").required();
    change.fields(o.facts);
    change.example("image change heron-boot-2.1.img --platform heron --role boot")
        .example("image change heron-boot-2.1.img --remark \"\"")
        .related({"image info", "image recognise"});
  }
  {
    struct Vouch {
      std::string name;
      ChecksumOptions checksums;
      bool undo = false;
    };
    auto& o = image.keep<Vouch>();
    const auto vouch = image.add(
        "vouch", "Compare an image with the maker's checksums",
        [&o](const Context& c) { return vouch_image(c, o.name, o.checksums, o.undo); });
    vouch.value("IMAGE", o.name, "Image to vouch for").required();
    checksum_values(vouch, o.checksums);
    vouch.flag("--undo", o.undo,
               "Undo the comparisons that differ (or all, if none differs)");
    vouch.example("image vouch causeway4-system-7.6.0.img --list SHA256SUMS")
        .related({"image info", "image find"})
        .exit_codes("6 the checksum differs: the image is contradicted");
  }
  {
    struct Withdraw {
      std::string name, reason;
      bool undo = false, with_offers = false;
    };
    auto& o = image.keep<Withdraw>();
    const auto withdraw =
        image.add("withdraw", "End all offers of an image; devices are told why",
                  [&o](const Context& c) -> Done {
                    if (o.undo) return return_image(c, o.name, o.with_offers);
                    if (o.reason.empty())
                      return wrong_use("--reason is needed: devices are told it");
                    return withdraw_image(c, o.name, o.reason);
                  });
    withdraw.value("IMAGE", o.name, "Image to withdraw").required();
    withdraw.value("--reason", o.reason, "Reason that devices are told");
    const auto undo = withdraw.flag("--undo", o.undo, "Undo a withdrawal");
    withdraw
        .flag("--with-offers", o.with_offers,
              "Restore the offers that the withdrawal ended")
        .needs(undo);
    withdraw
        .example("image withdraw causeway4-system-7.4.2.img --reason \"loses routes\"")
        .example("image withdraw causeway4-system-7.4.2.img --undo --with-offers")
        .related({"offer end", "image remove"});
  }
  {
    auto& o = image.keep<ExtractOptions>();
    const auto command = image.add("extract", "Make images of members of an archive",
                                   [&o](const Context& c) { return extract(c, o); });
    command.value("ARCHIVE", o.archive, "Image that is an archive").required();
    command.value("MEMBER", o.members, "Paths in it, as 'vantro image info' lists them")
        .required();
    command.value("--name", o.wanted.as,
                  "Name of the new image (default: the last part of the path)");
    command.flag("--hold", o.wanted.hold, "Keep them off offer");
    command.value("--document-of", o.wanted.document_of,
                  "Attach them to this image as documents instead");
    command.example("image extract causeway4-7.6.0.tar images/boot-3.2.bin")
        .related({"image info", "kit add"});
  }
  {
    auto [sub, o] = named(image, "remove", "Remove an image and its bytes for good",
                          [](const Context& c, const Named& n) {
                            return remove_image(c, n.name, n.force);
                          });
    yes_flag(sub, o.force);
    sub.example("image remove causeway4-system-7.4.2.img")
        .related({"image withdraw", "offer end"});
  }
  {
    auto [sub, o] = named(image, "write", "Write the bytes of an image to a local file",
                          [](const Context& c, const Named& n) {
                            return save_image(c, n.name, n.to, n.force);
                          });
    out_values(sub, o.to, o.force, " (default: the image's name)");
    sub.example("image write causeway4-system-7.6.0.img --out copy.img")
        .related({"export", "image find"})
        .exit_codes(
            "6 the bytes do not match their checksum; 7 the file cannot be written");
  }
  {
    struct Recognise {
      std::string name;
      bool all = false;
      bool fill = false;
    };
    auto& o = image.keep<Recognise>();
    const auto command = image.add(
        "recognise", "Show what the recognisers make of a name", [&o](const Context& c) {
          if (o.all) return recognise_all(c, o.fill);
          if (o.fill) return Done(wrong_use("--fill goes with --all"));
          if (o.name.empty()) return Done(wrong_use("give a NAME, or --all"));
          return recognise(c, o.name);
        });
    command.value("NAME", o.name, "Name of a file");
    command.flag("--all", o.all, "Show the facts that images lack and their names tell");
    command.flag("--fill", o.fill, "Set these facts");
    command.example("image recognise causeway4-system-7.6.0.img")
        .example("image recognise --all --fill")
        .related({"image change"});
  }
  const auto document = image.group("document", "Manage documents of an image");
  {
    auto [sub, o] = named(document, "add", "Add release notes (.txt, .md, .pdf)",
                          [](const Context& c, const Named& n) {
                            return attach_document(c, n.name, n.other);
                          });
    sub.value("FILE", o.other, "Document on this machine").required();
    sub.example("image document add causeway4-system-7.6.0.img notes-7.6.0.pdf");
  }
  {
    auto [sub, o] = named(document, "write", "Write a document to a local file",
                          [](const Context& c, const Named& n) {
                            return save_document(c, n.name, n.other, n.to, n.force);
                          });
    sub.value("DOCUMENT", o.other, "Name of the document").required();
    out_values(sub, o.to, o.force, " (default: the document's name)");
    sub.example("image document write causeway4-system-7.6.0.img notes-7.6.0.pdf");
  }
  {
    auto [sub, o] = named(document, "remove", "Remove a document of an image",
                          [](const Context& c, const Named& n) {
                            return detach_document(c, n.name, n.other, n.force);
                          });
    sub.value("DOCUMENT", o.other, "Name of the document").required();
    yes_flag(sub, o.force);
    sub.example("image document remove causeway4-system-7.6.0.img notes-7.6.0.pdf");
  }
}

}  // namespace vantro::client
