#include "client/catalogue_options.h"

#include <map>

#include "client/export.h"
#include "client/images.h"
#include "client/offers.h"

namespace vantro::client {

void fact_options(CLI::App* command, std::map<std::string, std::string>& facts,
                  bool filter) {
  const std::pair<const char*, const char*> all[] = {
      {"maker", "who makes it"},
      {"platform", "device platforms that it is for, parted by commas"},
      {"hardware", "their hardware revisions, parted by commas"},
      {"role", "system, boot, module, recovery or other"},
      {"version", "its version"},
      {"line", "its release line (else taken from the version)"},
      {"stage", "early, general or ending"},
      {"space", "what it needs on a device, such as \"800 MiB\""},
      {"remarks", "what must be read before it is used"},
      {"source", "where it was had from"},
  };
  for (const auto& [name, about] : all) {
    const std::string fact = name;
    std::string text = about;
    if (filter && fact == "space") text = "known to fit into so much, such as \"64 MiB\"";
    if (filter && fact == "remarks") text = "somewhere in the remarks";
    if (filter && fact == "version") {
      text = "7.6 and all that begins so, or a comparison such as \">=7.6.1\"";
    }
    if (filter && fact == "stage") text += ", or withdrawn";
    command->add_option_function<std::string>(
        "--" + fact, [&facts, fact](const std::string& value) { facts[fact] = value; },
        text);
  }
}

namespace {

void checksum_options(CLI::App* command, ChecksumOptions& options,
                      const std::string& source_flag) {
  command
      ->add_option("--expect", options.expect,
                   "the maker's checksum, ALGO:HEX or bare HEX; more than once if "
                   "wanted")
      ->take_all();
  command->add_option("--list", options.list,
                      "the maker's checksum list (GNU or BSD form); - to paste it");
  command->add_option("--signature", options.signature,
                      "a detached signature over the list (minisign or OpenPGP)");
  command->add_option("--key", options.key, "the maker's public key");
  command->add_option(source_flag, options.source,
                      "where the checksum was had from, in words");
}

void image_commands(Commands& commands) {
  auto* image = commands.group(commands.app(), "image", "the images that are known");
  {
    auto o = commands.options<ImageAddOptions>();
    auto* add = commands.add(*image, "add", "take an image in",
                             [o](const Context& c) { return add_image(c, *o); });
    add->add_option("FILE", o->file, "the image")->required();
    add->add_option("--name", o->name, "another name than the file's");
    checksum_options(add, o->checksums, "--checksum-source");
    fact_options(add, o->facts, false);
    add->add_flag("--hold", o->hold, "keep it off offer");
    add->add_flag("--yes", o->yes, "take the facts that the name tells without asking");
    add->add_flag("--despite-findings", o->despite_findings,
                  "file it though it is cut short or damaged inside");
  }
  {
    auto o = commands.options<ImageListOptions>();
    auto* list = commands.add(*image, "list", "images by platform, role and version",
                              [o](const Context& c) { return list_images(c, *o); });
    fact_options(list, o->facts, true);
    list->add_option("--text", o->text, "somewhere in a name");
    list->add_option("--vouching", o->vouching,
                     "unvouched, vouched-weakly, vouched or contradicted");
    list->add_flag("--on-offer", o->on_offer, "only what is on offer");
    list->add_flag("--held", o->held, "only what is not");
    list->add_flag("--newest", o->newest, "only the newest of each line");
    list->add_option("--limit", o->limit, "so many rows at most")->capture_default_str();
  }
  struct Named {
    std::string name, other, to;
    bool force = false;
  };
  const auto named = [&](const char* command, const char* about, auto run) {
    auto o = commands.options<Named>();
    auto* sub = commands.add(*image, command, about,
                             [o, run](const Context& c) { return run(c, *o); });
    sub->add_option("NAME", o->name, "the image's name")->required();
    return std::pair(sub, o);
  };
  named("info", "everything about one image",
        [](const Context& c, const Named& o) { return show_image(c, o.name); });
  {
    auto o = commands.options<Named>();
    commands
        .add(*image, "find", "is this file, or a checksum, in the catalogue?",
             [o](const Context& c) { return find_image(c, o->name); })
        ->add_option("FILE|CHECKSUM", o->name, "a file here, or a checksum")
        ->required();
  }
  {
    auto [sub, o] = named("compare", "two images: facts, versions in words, members",
                          [](const Context& c, const Named& n) {
                            return compare_images(c, n.name, n.other);
                          });
    sub->add_option("OTHER", o->other, "the other image")->required();
  }
  {
    struct Edit {
      std::string name;
      std::map<std::string, std::string> facts;
    };
    auto o = commands.options<Edit>();
    auto* edit =
        commands.add(*image, "edit", "change facts; \"\" forgets one",
                     [o](const Context& c) { return edit_image(c, o->name, o->facts); });
    edit->add_option("NAME", o->name, "the image's name")->required();
    fact_options(edit, o->facts, false);
  }
  {
    struct Vouch {
      std::string name;
      ChecksumOptions checksums;
      bool retract = false;
    };
    auto o = commands.options<Vouch>();
    auto* vouch = commands.add(*image, "vouch", "hold it against the maker's checksums",
                               [o](const Context& c) {
                                 return vouch_image(c, o->name, o->checksums, o->retract);
                               });
    vouch->add_option("NAME", o->name, "the image's name")->required();
    checksum_options(vouch, o->checksums, "--source");
    vouch->add_flag("--retract", o->retract,
                    "take back what differs (or all, if nothing does)");
  }
  {
    auto [sub, o] = named("withdraw", "end its offers; devices are told why",
                          [](const Context& c, const Named& n) {
                            return withdraw_image(c, n.name, n.other);
                          });
    sub->add_option("--reason", o->other, "what devices are told")->required();
  }
  named("return", "take a withdrawal back",
        [](const Context& c, const Named& o) { return return_image(c, o.name); });
  {
    auto [sub, o] =
        named("save", "write its bytes to a file", [](const Context& c, const Named& n) {
          return save_image(c, n.name, n.to, n.force);
        });
    sub->add_option("--to", o->to, "the file, or - for standard output");
    sub->add_flag("--force", o->force, "write over a file that exists");
  }
  named("recognise", "what the recognisers make of a name",
        [](const Context& c, const Named& o) { return recognise(c, o.name); });
  {
    auto [sub, o] = named("attach", "add release notes (.txt, .md, .pdf)",
                          [](const Context& c, const Named& n) {
                            return attach_document(c, n.name, n.other);
                          });
    sub->add_option("FILE", o->other, "the document")->required();
  }
  {
    auto [sub, o] =
        named("detach", "take a document away", [](const Context& c, const Named& n) {
          return detach_document(c, n.name, n.other);
        });
    sub->add_option("DOCUMENT", o->other, "its name")->required();
  }
  {
    auto [sub, o] = named("document", "write a document to a file",
                          [](const Context& c, const Named& n) {
                            return save_document(c, n.name, n.other, n.to, n.force);
                          });
    sub->add_option("DOCUMENT", o->other, "its name")->required();
    sub->add_option("--to", o->to, "the file, or - for standard output");
    sub->add_flag("--force", o->force, "write over a file that exists");
  }
}

void offer_commands(Commands& commands) {
  auto* offer =
      commands.group(commands.app(), "offer", "the names under which devices can fetch");
  const auto limits = [](CLI::App* command, OfferOptions& o) {
    command->add_option("--to", o.to,
                        "only to this network, such as 192.0.2.0/24; or all");
    command->add_option("--over", o.over, "only over these protocols; or all");
    command->add_option(
        "--until", o.until,
        "a time such as \"2026-11-24 06:00\", a span such as 4h; or ever");
  };
  {
    auto o = commands.options<OfferOptions>();
    auto* add = commands.add(*offer, "add", "offer an image",
                             [o](const Context& c) { return add_offer(c, *o); });
    add->add_option("IMAGE", o->image, "its name")->required();
    add->add_option("--as", o->name,
                    "what devices type; with folders, if wanted (default: the image's "
                    "name)");
    limits(add, *o);
  }
  {
    auto o = commands.options<OfferOptions>();
    auto* change = commands.add(*offer, "change",
                                "let a name stand for another image, or change its "
                                "limits",
                                [o](const Context& c) { return change_offer(c, *o); });
    change->add_option("NAME", o->name, "what devices type")->required();
    change->add_option("--image", o->image, "the image that it stands for from now on");
    limits(change, *o);
    change->add_option("--of", o->of,
                       "where the name is on offer to several networks: to which");
  }
  {
    auto o = commands.options<OfferOptions>();
    auto* end = commands.add(*offer, "end", "take a name off offer",
                             [o](const Context& c) { return end_offer(c, *o); });
    end->add_option("NAME", o->name, "what devices type")->required();
    end->add_option("--of", o->of,
                    "where the name is on offer to several networks: to which");
  }
  {
    auto o = commands.options<std::string>();
    commands
        .add(*offer, "list", "what devices can type, and what they get",
             [o](const Context& c) { return list_offers(c, *o); })
        ->add_option("--at", *o, "as it was at a time in the past");
  }
  {
    auto o = commands.options<std::string>();
    commands
        .add(*offer, "history", "what a name stood for, newest first",
             [o](const Context& c) { return show_offer_history(c, *o); })
        ->add_option("NAME", *o, "what devices type")
        ->required();
  }
  {
    auto o = commands.options<std::string>();
    *o = "sha256";
    commands
        .add(*offer, "checksums", "a checksum list of all names on offer",
             [o](const Context& c) { return write_checksums(c, *o); })
        ->add_option("--algorithm", *o, "md5, sha1, sha256 or sha512")
        ->capture_default_str();
  }
}

void kit_commands(Commands& commands) {
  auto* kit = commands.group(commands.app(), "kit", "images that belong together");
  {
    auto o = commands.options<KitOptions>();
    auto* add = commands.add(*kit, "add", "make one, in the order of installing",
                             [o](const Context& c) { return add_kit(c, *o); });
    add->add_option("NAME", o->name, "the kit's name")->required();
    add->add_option("IMAGE", o->images, "its images, in their order")->required();
    add->add_option("--remarks", o->remarks, "about the whole");
    add->add_option("--part-remark", o->part_remarks,
                    "about a part; once for each, in their order")
        ->take_all()
        ->allow_extra_args(false);
  }
  commands.add(*kit, "list", "all kits", list_kits);
  const auto named = [&](const char* name, const char* about, auto run) {
    auto o = commands.options<std::string>();
    commands.add(*kit, name, about, [o, run](const Context& c) { return run(c, *o); })
        ->add_option("NAME", *o, "the kit's name")
        ->required();
  };
  named("info", "one kit", show_kit);
  named("remove", "forget a kit; its images stay", remove_kit);
}

void keeping_commands(Commands& commands) {
  {
    auto o = commands.options<VerifyOptions>();
    auto* sub = commands.add(commands.app(), "verify",
                             "read everything that is stored again, and compare",
                             [o](const Context& c) { return verify(c, *o); });
    sub->add_option("IMAGE", o->image, "only this image");
    sub->add_option("--unread-for", o->unread_days, "only what was not read for DAYS")
        ->check(CLI::NonNegativeNumber);
    sub->add_option("--rate", o->rate,
                    "bytes for each second, such as \"32 MiB\"; 0: as fast as can be");
    sub->add_flag("--follow", o->follow_only, "begin nothing; follow what runs");
    sub->add_flag("--no-wait", o->no_wait, "begin it, and come back");
  }
  {
    auto o = commands.options<ExportOptions>();
    auto* sub = commands.add(commands.app(), "export",
                             "write images to a folder or NAME.tar, for another server",
                             [o](const Context& c) { return export_images(c, *o); });
    sub->add_option("TARGET", o->target, "a new folder, or NAME.tar")->required();
    sub->add_option("IMAGE", o->images, "only these (default: all)");
  }
  {
    auto o = commands.options<ImportOptions>();
    auto* sub = commands.add(commands.app(), "import", "take in what was exported",
                             [o](const Context& c) { return import_images(c, *o); });
    sub->add_option("SOURCE", o->source, "the folder or the tar archive")->required();
    sub->add_flag("--hold", o->hold, "put nothing on offer");
  }
}

}  // namespace

CLI::App* Commands::group(CLI::App& parent, const std::string& name,
                          const std::string& about) {
  auto* sub = parent.add_subcommand(name, about);
  sub->fallthrough();
  sub->require_subcommand(1);
  return sub;
}

CLI::App* Commands::add(CLI::App& parent, const std::string& name,
                        const std::string& about, Run run) {
  auto* sub = parent.add_subcommand(name, about);
  sub->fallthrough();
  sub->callback([chosen = chosen_, run = std::move(run)] { *chosen = run; });
  return sub;
}

void add_catalogue_commands(Commands& commands) {
  image_commands(commands);
  offer_commands(commands);
  kit_commands(commands);
  keeping_commands(commands);
}

}  // namespace vantro::client
