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

void checksum_values(const Command& command, ChecksumOptions& options,
                     const std::string& source_name) {
  command
      .value("--expect", options.expect,
             "the maker's checksum, ALGO:HEX or bare HEX; more than once if wanted")
      .several();
  command.value("--list", options.list,
                "the maker's checksum list (GNU or BSD form); - to paste it");
  command.value("--signature", options.signature,
                "a detached signature over the list (minisign or OpenPGP)");
  command.value("--key", options.key, "the maker's public key");
  command.value(source_name, options.source, "where the checksum came from, in words");
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
          terminal.write(fmt::format("  not on offer any more: {}\n", offer_text(offer)));
        }
        if (answer.back.empty() && answer.not_back.empty()) {
          terminal.write(
              fmt::format("Offer it with: vantro offer add {}\n", shown(name)));
        } else if (!answer.not_back.empty() && !with_offers) {
          terminal.write(
              fmt::format("The withdrawal ended these offers. Put one back with: vantro "
                          "offer add {} --as NAME\n",
                          shown(name)));
        } else if (!answer.not_back.empty()) {
          terminal.write(
              "These could not be put back: their time is over, or their names stand for "
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
    return wrong_use("--as is for one member; give each its own call");
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
    terminal.write(fmt::format("{}: {}, {}{}\n", shown(member),
                               added.result == "already-there"
                                   ? "known already as " + shown(added.image.name)
                                   : "added as " + shown(added.image.name),
                               exact_size(added.image.size),
                               added.compared ? ", the checksum is as the archive's own "
                                                "list has it"
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
Done remove_image(const Context& context, const std::string& name, std::string confirm) {
  if (confirm.empty()) {
    const auto typed = ask_at_terminal(fmt::format(
        "{} and its bytes will be removed for good. Type its name again: ", shown(name)));
    if (!typed) {
      return wrong_use("give the name again with --confirm NAME; nothing was removed");
    }
    confirm = *typed;
  }
  return show_answer(context, context.api.call(api::kRemoveImage, {name, confirm}),
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
            "  It is off offer from now on. If that was another file's checksum, take it "
            "back with --retract.\n");
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
  const auto saved = save(context.api, api::kImageContent.target({name}), file, force,
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
  return show(context, api::kSuggestions, {name},
              [&](const Terminal& terminal, const api::SuggestionList& all) {
                Table table({{"FACT"}, {"WOULD BE"}, {"ORIGIN"}});
                for (const auto& one : all.suggestions) {
                  table.add({{one.fact}, {one.text}, {one.origin, Tone::kFaint}});
                }
                write_or(table, terminal,
                         fmt::format("No recogniser fits '{}'. They are written in the "
                                     "settings, under [[recogniser]].",
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
        write_or(table, terminal, "No image lacks anything that its name tells.");
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
    const auto saved = save(context.api, api::kDocument.target({image, document}), file,
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
                     const std::string& document) {
  return show(
      context, api::kDetachDocument, {image, document},
      [&](const Terminal& terminal, const api::Nothing&) {
        terminal.write(fmt::format("{}: {} taken away\n", shown(image), shown(document)));
      });
}

struct Named {
  std::string name, other, to;
  bool force = false;
};

}  // namespace

void image_change_commands(const Command& image) {
  const auto named = [&](const char* command, const char* about, auto run) {
    auto& o = image.keep<Named>();
    const auto sub =
        image.add(command, about, [&o, run](const Context& c) { return run(c, o); });
    sub.value("NAME", o.name, "the image's name").required();
    return std::pair<const Command, Named&>(sub, o);
  };
  {
    struct Edit {
      std::string name;
      api::FactFields facts;
    };
    auto& o = image.keep<Edit>();
    const auto edit =
        image.add("edit", "change facts; \"\" forgets one",
                  [&o](const Context& c) { return edit_image(c, o.name, o.facts); });
    edit.value("NAME", o.name, "the image's name").required();
    edit.fields(o.facts);
  }
  {
    struct Vouch {
      std::string name;
      ChecksumOptions checksums;
      bool retract = false;
    };
    auto& o = image.keep<Vouch>();
    const auto vouch = image.add("vouch", "hold it against the maker's checksums",
                                 [&o](const Context& c) {
                                   return vouch_image(c, o.name, o.checksums, o.retract);
                                 });
    vouch.value("NAME", o.name, "the image's name").required();
    checksum_values(vouch, o.checksums, "--source");
    vouch.flag("--retract", o.retract,
               "take back what differs (or all, if nothing does)");
  }
  {
    auto [sub, o] = named("withdraw", "end its offers; devices are told why",
                          [](const Context& c, const Named& n) {
                            return withdraw_image(c, n.name, n.other);
                          });
    sub.value("--reason", o.other, "what devices are told").required();
  }
  {
    auto [sub, o] =
        named("return", "Undo a withdrawal", [](const Context& c, const Named& n) {
          return return_image(c, n.name, n.force);
        });
    sub.flag("--with-offers", o.force, "Put the offers back that the withdrawal ended");
  }
  {
    auto& o = image.keep<ExtractOptions>();
    const auto command = image.add("extract", "Take members of an archive out",
                                   [&o](const Context& c) { return extract(c, o); });
    command.value("ARCHIVE", o.archive, "The image that is an archive").required();
    command.value("MEMBER", o.members, "Paths in it, as 'image info' lists them")
        .required();
    command.value("--as", o.wanted.as,
                  "The new image's name (default: the path's last "
                  "part)");
    command.flag("--hold", o.wanted.hold, "Do not put the images on offer");
    command.value("--document-of", o.wanted.document_of,
                  "Attach them to this image as documents instead");
  }
  {
    auto [sub, o] = named("remove", "Remove an image and its bytes for good",
                          [](const Context& c, const Named& n) {
                            return remove_image(c, n.name, n.other);
                          });
    sub.value("--confirm", o.other, "Its name once more (else it is asked for)");
  }
  {
    auto [sub, o] =
        named("save", "write its bytes to a file", [](const Context& c, const Named& n) {
          return save_image(c, n.name, n.to, n.force);
        });
    save_values(sub, o.to, o.force, "");
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
    command.value("NAME", o.name, "A file's name");
    command.flag("--all", o.all, "Show what images lack that their names tell");
    command.flag("--fill", o.fill, "Set these facts");
  }
  {
    auto [sub, o] = named("attach", "add release notes (.txt, .md, .pdf)",
                          [](const Context& c, const Named& n) {
                            return attach_document(c, n.name, n.other);
                          });
    sub.value("FILE", o.other, "the document").required();
  }
  {
    auto [sub, o] =
        named("detach", "take a document away", [](const Context& c, const Named& n) {
          return detach_document(c, n.name, n.other);
        });
    sub.value("DOCUMENT", o.other, "its name").required();
  }
  {
    auto [sub, o] = named("document", "write a document to a file",
                          [](const Context& c, const Named& n) {
                            return save_document(c, n.name, n.other, n.to, n.force);
                          });
    sub.value("DOCUMENT", o.other, "its name").required();
    save_values(sub, o.to, o.force, "");
  }
}

}  // namespace vantro::client
