#include "api/catalogue.h"

namespace vantro::api {

template <>
const Shape& shape_of<Facts>() {
  using T = Facts;
  static const Shape shape =
      ShapeOf<T>("Facts", "an image")
          .field<&T::maker>("maker", "who makes it")
          .field<&T::platform>("platform", "device platforms that it is for")
          .field<&T::hardware>("hardware", "their hardware revisions; empty: any")
          .field<&T::role>("role", "system, boot, module, recovery or other")
          .field<&T::version>("version", "its version")
          .field<&T::line>("line", "its release line, given or from the version")
          .field<&T::stage>("stage", "new, proven or retiring")
          .field<&T::space>("space", "bytes that it needs on a device; null: unknown",
                            Unit::kBytes)
          .field<&T::remarks>("remarks", "what must be read before it is used")
          .field<&T::source>("source", "where it came from")
          .field<&T::guessed>("guessed",
                              "names of facts that were guessed from the file's name")
          .done();
  return shape;
}

template <>
const Shape& shape_of<FactFields>() {
  using T = FactFields;
  static const Shape shape =
      ShapeOf<T>("FactFields",
                 "facts of an image; fields that are not sent stay; an empty text clears "
                 "a field")
          .field<&T::maker>("maker", "who makes it")
          .field<&T::platform>("platform",
                               "device platforms that it is for, separated by commas")
          .field<&T::hardware>("hardware",
                               "their hardware revisions, separated by commas")
          .field<&T::role>("role", "system, boot, module, recovery or other")
          .field<&T::version>("version", "its version")
          .field<&T::line>("line", "its release line (else from the version)")
          .field<&T::stage>("stage", "new, proven or retiring")
          .field<&T::space>("space", "what it needs on a device, such as \"800 MiB\"")
          .field<&T::remarks>("remarks", "what must be read before it is used")
          .field<&T::source>("source", "where it came from")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Withdrawal>() {
  using T = Withdrawal;
  static const Shape shape =
      ShapeOf<T>("Withdrawal", "an image that must not be used any more")
          .field<&T::at>("at", "since when", Unit::kTime)
          .field<&T::why>("why", "the reason that devices are told")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Image>() {
  using T = Image;
  static const Shape shape =
      ShapeOf<T>("Image", "an image in the catalogue")
          .field<&T::name>("name", "the first of its names")
          .field<&T::size>("size", "its size", Unit::kBytes)
          .field<&T::digests>("digests", "its digests")
          .field<&T::taken_in_at>("taken_in_at", "when", Unit::kTime)
          .field<&T::taken_in_by>("taken_in_by", "by whom")
          .field<&T::on_offer>("on_offer", "some device can fetch it")
          .field<&T::facts>("facts", "its facts")
          .field<&T::vouching>("vouching", "whether its maker's checksums agree")
          .choices({"unvouched", "vouched-weakly", "vouched", "contradicted"})
          .field<&T::withdrawn>("withdrawn", "null: it is not withdrawn")
          .field<&T::whole>("whole",
                            "its stored bytes were unchanged when they were last read")
          .field<&T::read_at>("read_at", "when they were last read", Unit::kTime)
          .field<&T::verdict>("verdict",
                              "of the look inside: whole, cut-short, damaged or unknown")
          .field<&T::kind>("kind", "such as \"tar archive in gzip\"")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ImageRow>() {
  using T = ImageRow;
  static const Shape shape =
      ShapeOf<T>("ImageRow", "a row of the list; an image for two platforms has two")
          .field<&T::platform>("platform", "the platform of this row")
          .field<&T::newest>("newest", "the newest of its platform, role and line")
          .field<&T::confusable>(
              "confusable",
              "its version is easy to confuse with that of another row of this group")
          .field<&T::image>("image", "itself")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ImageList>() {
  using T = ImageList;
  static const Shape shape =
      ShapeOf<T>("ImageList", "images by platform, role and version")
          .field<&T::images>("images", "the rows")
          .field<&T::in_all>("in_all", "all rows, shown or not, but at most 10000")
          .field<&T::and_more>("and_more", "there are more than these 10000")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ImageFilter>() {
  using T = ImageFilter;
  static const Shape shape =
      ShapeOf<T>("ImageFilter", "which images")
          .field<&T::maker>("maker", "who makes them")
          .field<&T::platform>("platform", "a platform that they are for")
          .field<&T::hardware>("hardware", "a hardware revision that they are for")
          .field<&T::role>("role", "system, boot, module, recovery or other")
          .field<&T::version>(
              "version",
              "7.6 and all that begin with it, or a comparison such as \">=7.6.1\"")
          .field<&T::line>("line", "their release line")
          .field<&T::stage>("stage", "new, proven, retiring or withdrawn")
          .field<&T::space>("space", "known to fit into this space, such as \"64 MiB\"")
          .field<&T::remarks>("remarks", "anywhere in the remarks")
          .field<&T::source>("source", "where they came from")
          .field<&T::text>("text", "anywhere in a name")
          .field<&T::vouching>("vouching", "what their makers' checksums say")
          .choices({"unvouched", "vouched-weakly", "vouched", "contradicted"})
          .field<&T::offered>("offered", "on offer, or not")
          .field<&T::newest>("newest", "only the newest of each line")
          .field<&T::limit>("limit", "at most so many rows (200,000 at most)")
          .range(1)
          .field<&T::skip>("skip", "leave out so many first")
          .range(0)
          .done();
  return shape;
}

template <>
const Shape& shape_of<Vouch>() {
  using T = Vouch;
  static const Shape shape =
      ShapeOf<T>("Vouch", "one of the maker's checksums, and whether it agrees")
          .field<&T::at>("at", "when it was compared", Unit::kTime)
          .field<&T::who>("who", "by whom")
          .field<&T::source>("source", "where the checksum came from")
          .field<&T::algorithm>("algorithm", "such as SHA-256")
          .field<&T::hex>("hex", "the checksum")
          .field<&T::agrees>("agrees", "with the stored bytes")
          .field<&T::signer>("signer", "of the checksum list")
          .field<&T::retracted_at>("retracted_at", "empty: it counts", Unit::kTime)
          .done();
  return shape;
}

template <>
const Shape& shape_of<Offer>() {
  using T = Offer;
  static const Shape shape =
      ShapeOf<T>("Offer", "a name that devices can fetch")
          .field<&T::name>("name", "what they type")
          .field<&T::image>("image", "its first name")
          .field<&T::size>("size", "its size", Unit::kBytes)
          .field<&T::sha256>("sha256", "its SHA-256")
          .field<&T::since>("since", "when it was offered", Unit::kTime)
          .field<&T::to>("to", "only this network; empty: all")
          .field<&T::over>("over", "only over these protocols; empty: over all")
          .field<&T::until>("until", "when it ends; null: never", Unit::kTime)
          .field<&T::ended_at>("ended_at", "null: not ended", Unit::kTime)
          .field<&T::why>("why", "why it was ended")
          .field<&T::held_back>("held_back", "why nobody gets it anyway; empty: they do")
          .field<&T::any_platform>("any_platform",
                                   "devices of other platforms get it as well")
          .done();
  return shape;
}

template <>
const Shape& shape_of<OfferList>() {
  using T = OfferList;
  static const Shape shape = ShapeOf<T>("OfferList", "offers")
                                 .field<&T::offers>("offers", "by name")
                                 .field<&T::in_all>("in_all", "all rows, shown or not")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<OffersAsked>() {
  using T = OffersAsked;
  static const Shape shape =
      ShapeOf<T>("OffersAsked", "which offers")
          .field<&T::at>("at", "the offers at that time; empty: now", Unit::kTime)
          .field<&T::text>("text", "anywhere in the name")
          .field<&T::limit>("limit", "at most so many (not given: all)")
          .range(1)
          .field<&T::skip>("skip", "leave out the first ones")
          .range(0)
          .done();
  return shape;
}

template <>
const Shape& shape_of<OfferAsked>() {
  using T = OfferAsked;
  static const Shape shape =
      ShapeOf<T>("OfferAsked", "which offer")
          .field<&T::name>("name", "what devices type")
          .needed()
          .field<&T::of>("of",
                         "for a name with offers to several networks: which network")
          .done();
  return shape;
}

template <>
const Shape& shape_of<OfferWanted>() {
  using T = OfferWanted;
  static const Shape shape =
      ShapeOf<T>("OfferWanted", "a new offer")
          .field<&T::image>("image", "its name")
          .needed()
          .field<&T::name>("name", "what devices type (default: the image's name)")
          .field<&T::to>("to", "only this network, such as 192.0.2.0/24; or all")
          .field<&T::over>("over",
                           "only over these protocols, separated by commas; or all")
          .field<&T::until>("until", "when it ends; empty: never", Unit::kTime)
          .field<&T::any_platform>("any_platform",
                                   "devices of other platforms get it as well")
          .done();
  return shape;
}

template <>
const Shape& shape_of<OfferChanges>() {
  using T = OfferChanges;
  static const Shape shape =
      ShapeOf<T>("OfferChanges", "the change of an offer; fields that are not sent stay")
          .field<&T::of>("of",
                         "for a name with offers to several networks: which network")
          .field<&T::image>("image", "the new image of the name")
          .field<&T::to>("to", "only this network, such as 192.0.2.0/24; or all")
          .field<&T::over>("over",
                           "only over these protocols, separated by commas; or all")
          .field<&T::until>("until", "when it ends; empty: never", Unit::kTime)
          .field<&T::any_platform>("any_platform",
                                   "yes or no: whether devices of other platforms get it")
          .done();
  return shape;
}

template <>
const Shape& shape_of<OfferMade>() {
  using T = OfferMade;
  static const Shape shape =
      ShapeOf<T>("OfferMade", "an offer that was made or changed")
          .field<&T::offer>("offer", "itself")
          .field<&T::overlapping>(
              "overlapping",
              "others of that name, for other networks; the narrower network wins")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Document>() {
  using T = Document;
  static const Shape shape = ShapeOf<T>("Document", "release notes beside an image")
                                 .field<&T::name>("name", "its name")
                                 .field<&T::size>("size", "its size", Unit::kBytes)
                                 .field<&T::sha256>("sha256", "its SHA-256")
                                 .field<&T::added_at>("added_at", "when", Unit::kTime)
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<DocumentAsked>() {
  using T = DocumentAsked;
  static const Shape shape = ShapeOf<T>("DocumentAsked", "which document of which image")
                                 .field<&T::name>("name", "of the image")
                                 .needed()
                                 .field<&T::document>("document", "its name")
                                 .needed()
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<Member>() {
  using T = Member;
  static const Shape shape = ShapeOf<T>("Member", "a file in an archive")
                                 .field<&T::path>("path", "in it")
                                 .field<&T::size>("size", "its size", Unit::kBytes)
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<LookAlike>() {
  using T = LookAlike;
  static const Shape shape =
      ShapeOf<T>("LookAlike", "an image whose version is easy to confuse with this one's")
          .field<&T::name>("name", "its name")
          .field<&T::version>("version", "its version")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Suggestion>() {
  using T = Suggestion;
  static const Shape shape =
      ShapeOf<T>("Suggestion", "a fact in name or content")
          .field<&T::fact>("fact", "which")
          .field<&T::text>("text", "the value")
          .field<&T::origin>("origin", "its source")
          .field<&T::guessed>("guessed", "by the usual shapes of names")
          .done();
  return shape;
}

template <>
const Shape& shape_of<SuggestionList>() {
  using T = SuggestionList;
  static const Shape shape =
      ShapeOf<T>("SuggestionList", "the facts in a name")
          .field<&T::suggestions>("suggestions", "one for each fact")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ImageDetail>() {
  using T = ImageDetail;
  static const Shape shape =
      ShapeOf<T>("ImageDetail", "everything about one image")
          .field<&T::image>("image", "itself")
          .field<&T::names>("names", "all of them")
          .field<&T::findings>("findings", "of the look inside")
          .field<&T::members>("members", "of an archive; perhaps not all")
          .field<&T::members_in_all>("members_in_all", "number of members")
          .field<&T::vouches>("vouches", "the maker's checksums")
          .field<&T::offers>("offers", "its open offers")
          .field<&T::documents>("documents", "its documents")
          .field<&T::look_alikes>("look_alikes",
                                  "images that are easy to confuse with it")
          .field<&T::kits>("kits", "kits that it is part of")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ImageGiven>() {
  using T = ImageGiven;
  static const Shape shape =
      ShapeOf<T>("ImageGiven", "how an image is to be added")
          .field<&T::name>("name", "its name")
          .needed()
          .field<&T::expect>("expect",
                             "the maker's checksums, ALGO:HEX or bare HEX, separated by "
                             "commas; if the bytes differ, nothing is filed")
          .field<&T::source>("source", "where the checksums came from")
          .field<&T::vouch>("vouch", "false: they are compared, and not recorded")
          .field<&T::hold>("hold", "keep it off offer")
          .field<&T::despite_findings>("despite_findings",
                                       "add it even if it is truncated or damaged inside")
          .field<&T::suggest>("suggest", "false: take no facts from name and content")
          .field<&T::fact>("fact", "what is known of it: fact.version=7.6.0 and so on")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ImageAdded>() {
  using T = ImageAdded;
  static const Shape shape =
      ShapeOf<T>("ImageAdded", "an image was added")
          .field<&T::result>("result", "new-name: the bytes were known")
          .choices({"new", "new-name", "already-there"})
          .field<&T::compared>("compared", "an expected checksum was sent, and agrees")
          .field<&T::image>("image", "itself")
          .field<&T::kind>("kind", "such as \"tar archive in gzip\"")
          .field<&T::findings>("findings", "of the look inside")
          .field<&T::members_in_all>("members_in_all", "files in it")
          .field<&T::suggestions>("suggestions", "facts in name and content")
          .field<&T::offer>("offer",
                            "the name under which devices can fetch it; empty: none")
          .field<&T::note>("note", "why it is not on offer, if that was wanted")
          .field<&T::not_done>("not_done", "options without effect, with what to do")
          .done();
  return shape;
}

template <>
const Shape& shape_of<FactChange>() {
  using T = FactChange;
  static const Shape shape = ShapeOf<T>("FactChange", "one fact of two values")
                                 .field<&T::fact>("fact", "which")
                                 .field<&T::before>("before", "its value")
                                 .field<&T::after>("after", "its value")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<FactChanges>() {
  using T = FactChanges;
  static const Shape shape = ShapeOf<T>("FactChanges", "facts that were changed")
                                 .field<&T::changes>("changes", "one for each")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<RecogniseWanted>() {
  using T = RecogniseWanted;
  static const Shape shape =
      ShapeOf<T>("RecogniseWanted", "whether to set recognised facts")
          .field<&T::fill>("fill", "set the facts; else they are only shown")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Recognised>() {
  using T = Recognised;
  static const Shape shape =
      ShapeOf<T>("Recognised", "a fact that an image lacks")
          .field<&T::image>("image", "its name")
          .field<&T::fact>("fact", "which")
          .field<&T::text>("text", "the value")
          .field<&T::origin>("origin", "the recogniser")
          .field<&T::guessed>("guessed", "by the usual shapes of names")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RecognisedList>() {
  using T = RecognisedList;
  static const Shape shape =
      ShapeOf<T>("RecognisedList", "facts that images lack and recognisers know")
          .field<&T::filled>("filled", "the facts were set")
          .field<&T::recognised>("recognised", "by image")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ReturnAsked>() {
  using T = ReturnAsked;
  static const Shape shape =
      ShapeOf<T>("ReturnAsked", "a withdrawal to undo")
          .field<&T::name>("name", "the image's name")
          .needed()
          .field<&T::with_offers>("with_offers",
                                  "open the offers again that the withdrawal ended")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ImageReturned>() {
  using T = ImageReturned;
  static const Shape shape =
      ShapeOf<T>("ImageReturned", "the image after its withdrawal was undone")
          .field<&T::image>("image", "itself")
          .field<&T::back>("back", "offers that are open again")
          .field<&T::not_back>("not_back",
                               "offers that the withdrawal ended, and that stay ended")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ExtractWanted>() {
  using T = ExtractWanted;
  static const Shape shape =
      ShapeOf<T>("ExtractWanted", "a member of an archive, and how to add it")
          .field<&T::member>("member", "its path in the archive")
          .needed()
          .field<&T::as>("as", "the image's name; empty: the last part of the path")
          .field<&T::hold>("hold", "do not put the image on offer")
          .field<&T::document_of>("document_of",
                                  "attach it to this image instead, as a document")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Extracted>() {
  using T = Extracted;
  static const Shape shape = ShapeOf<T>("Extracted", "an extracted member")
                                 .field<&T::added>("added", "the image")
                                 .field<&T::document>("document", "or the document")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<RemoveAsked>() {
  using T = RemoveAsked;
  static const Shape shape = ShapeOf<T>("RemoveAsked", "an image to remove for good")
                                 .field<&T::name>("name", "the image's name")
                                 .needed()
                                 .field<&T::confirm>("confirm", "its name once more")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<WithdrawalGiven>() {
  using T = WithdrawalGiven;
  static const Shape shape =
      ShapeOf<T>("WithdrawalGiven", "why an image is withdrawn")
          .field<&T::why>("why", "the reason that devices are told")
          .needed()
          .done();
  return shape;
}

template <>
const Shape& shape_of<EndedOffers>() {
  using T = EndedOffers;
  static const Shape shape = ShapeOf<T>("EndedOffers", "offers that were ended")
                                 .field<&T::ended>("ended", "each of them")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<VouchGiven>() {
  using T = VouchGiven;
  static const Shape shape =
      ShapeOf<T>("VouchGiven", "the maker's checksums")
          .field<&T::expect>("expect", "ALGO:HEX or bare HEX")
          .field<&T::list>("list", "a checksum list (GNU or BSD form)")
          .field<&T::signature>(
              "signature", "a detached signature over the list (minisign or OpenPGP)")
          .field<&T::key>("key", "the maker's public key")
          .field<&T::source>("source", "where the checksum came from, in words")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Vouched>() {
  using T = Vouched;
  static const Shape shape =
      ShapeOf<T>("Vouched", "the comparison of an image with its maker's checksums")
          .field<&T::image>("image", "itself")
          .field<&T::vouches>("vouches", "the compared checksums")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ContentKnown>() {
  using T = ContentKnown;
  static const Shape shape =
      ShapeOf<T>("ContentKnown", "whether bytes are in the catalogue")
          .field<&T::in_catalogue>("in_catalogue", "whether they are")
          .field<&T::image>("image", "the image; null: there is none")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ChecksumAsked>() {
  using T = ChecksumAsked;
  static const Shape shape = ShapeOf<T>("ChecksumAsked", "which bytes")
                                 .field<&T::checksum>("checksum", "ALGO:HEX or bare HEX")
                                 .needed()
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<ImagesCompared>() {
  using T = ImagesCompared;
  static const Shape shape =
      ShapeOf<T>("ImagesCompared", "two images")
          .field<&T::a>("a", "the first")
          .field<&T::b>("b", "the second")
          .field<&T::same_bytes>("same_bytes", "they are two names of one image")
          .field<&T::versions>("versions", "in words, b compared with a")
          .field<&T::facts>("facts", "different facts")
          .field<&T::only_a>("only_a", "members")
          .field<&T::only_b>("only_b", "members")
          .field<&T::differing>("differing",
                                "members of b: the same path with another size")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ImagePair>() {
  using T = ImagePair;
  static const Shape shape = ShapeOf<T>("ImagePair", "which two")
                                 .field<&T::a>("a", "an image")
                                 .needed()
                                 .field<&T::b>("b", "another")
                                 .needed()
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<ChecksumsAsked>() {
  using T = ChecksumsAsked;
  static const Shape shape = ShapeOf<T>("ChecksumsAsked", "which checksums")
                                 .field<&T::algorithm>("algorithm", "of them")
                                 .choices({"md5", "sha1", "sha256", "sha512"})
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<NameAsked>() {
  using T = NameAsked;
  static const Shape shape = ShapeOf<T>("NameAsked", "a name")
                                 .field<&T::name>("name", "of a file")
                                 .needed()
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<KitPart>() {
  using T = KitPart;
  static const Shape shape = ShapeOf<T>("KitPart", "one image of a kit")
                                 .field<&T::image>("image", "its name")
                                 .field<&T::role>("role", "its role")
                                 .field<&T::version>("version", "its version")
                                 .field<&T::size>("size", "its size", Unit::kBytes)
                                 .field<&T::remark>("remark", "about this part")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<Kit>() {
  using T = Kit;
  static const Shape shape =
      ShapeOf<T>("Kit", "images that belong together")
          .field<&T::name>("name", "its name")
          .field<&T::remarks>("remarks", "about the whole")
          .field<&T::made_at>("made_at", "when", Unit::kTime)
          .field<&T::parts>("parts", "in the order of installation")
          .done();
  return shape;
}

template <>
const Shape& shape_of<KitList>() {
  using T = KitList;
  static const Shape shape = ShapeOf<T>("KitList", "the kits")
                                 .field<&T::kits>("kits", "with their parts")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<KitWanted>() {
  using T = KitWanted;
  static const Shape shape =
      ShapeOf<T>("KitWanted", "a new kit")
          .field<&T::name>("name", "its name")
          .needed()
          .field<&T::remarks>("remarks", "about the whole")
          .field<&T::images>("images", "in the order of installation")
          .field<&T::part_remarks>("part_remarks", "about each part, in their order")
          .done();
  return shape;
}

template <>
const Shape& shape_of<KitParts>() {
  using T = KitParts;
  static const Shape shape =
      ShapeOf<T>("KitParts", "the contents of a kit")
          .field<&T::remarks>("remarks", "about the whole")
          .field<&T::images>("images", "in the order of installation")
          .field<&T::part_remarks>("part_remarks", "about each part, in their order")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Damage>() {
  using T = Damage;
  static const Shape shape = ShapeOf<T>("Damage", "stored bytes that have changed")
                                 .field<&T::sha256>("sha256", "their SHA-256 on record")
                                 .field<&T::names>("names", "everything that uses them")
                                 .field<&T::found>("found", "the problem")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<Verification>() {
  using T = Verification;
  static const Shape shape =
      ShapeOf<T>("Verification", "the progress of verifying")
          .field<&T::running>("running", "true: it goes on")
          .field<&T::began_at>("began_at", "empty: not since the server's start",
                               Unit::kTime)
          .field<&T::ended_at>("ended_at", "empty: it goes on", Unit::kTime)
          .field<&T::contents>("contents", "stored files to read")
          .field<&T::contents_read>("contents_read", "files read")
          .field<&T::locked>("locked", "files encrypted with unknown keys")
          .field<&T::unreadable>(
              "unreadable",
              "files that could not be read: not damaged, they are tried again")
          .field<&T::bytes>("bytes", "bytes to read", Unit::kBytes)
          .field<&T::bytes_read>("bytes_read", "bytes read", Unit::kBytes)
          .field<&T::damaged>("damaged", "damaged files")
          .field<&T::damages>("damages", "the first 1,000 of them")
          .field<&T::trouble>("trouble", "why it ended early")
          .done();
  return shape;
}

template <>
const Shape& shape_of<VerifyWanted>() {
  using T = VerifyWanted;
  static const Shape shape =
      ShapeOf<T>("VerifyWanted", "the files to read again")
          .field<&T::image>("image", "only this one; empty: everything")
          .field<&T::unread_days>("unread_days", "only files not read for so long",
                                  Unit::kDays)
          .range(0)
          .field<&T::bytes_per_second>(
              "bytes_per_second", "the limit; 0: none; not given: as in the settings",
              Unit::kBytesPerSecond)
          .range(0)
          .done();
  return shape;
}

template <>
const Shape& shape_of<Unrecorded>() {
  using T = Unrecorded;
  static const Shape shape =
      ShapeOf<T>("Unrecorded", "a stored file without a record")
          .field<&T::name>("name", "in the vault, its SHA-256")
          .field<&T::place>("place", "where it is")
          .choices({"vault", "partial"})
          .field<&T::size>("size", "on the disk", Unit::kBytes)
          .field<&T::encrypted>("encrypted", "whether it is encrypted")
          .field<&T::since>("since", "when it was last changed", Unit::kTime)
          .done();
  return shape;
}

template <>
const Shape& shape_of<UnrecordedList>() {
  using T = UnrecordedList;
  static const Shape shape = ShapeOf<T>("UnrecordedList", "stored files without a record")
                                 .field<&T::files>("files", "the oldest first")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<UnrecordedDecision>() {
  using T = UnrecordedDecision;
  static const Shape shape =
      ShapeOf<T>("UnrecordedDecision", "the outcome for one file")
          .field<&T::name>("name", "in the vault, its SHA-256")
          .field<&T::kept_as>("kept_as",
                              "the name of its new record; null: it was removed")
          .field<&T::removed>("removed", "for good")
          .done();
  return shape;
}

template <>
const Shape& shape_of<UnrecordedDecisions>() {
  using T = UnrecordedDecisions;
  static const Shape shape =
      ShapeOf<T>("UnrecordedDecisions", "the outcomes for several files")
          .field<&T::files>("files", "each of them")
          .done();
  return shape;
}

}  // namespace vantro::api
