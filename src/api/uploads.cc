#include "api/uploads.h"

namespace vantro::api {

template <>
const Shape& shape_of<UploadDescription>() {
  using T = UploadDescription;
  static const Shape shape =
      ShapeOf<T>("UploadDescription", "the description of an image in pieces")
          .field<&T::expect>("expect",
                             "the maker's checksums, ALGO:HEX or bare HEX; if the bytes "
                             "differ, nothing is filed")
          .field<&T::list>("list",
                           "a checksum list of the maker (GNU or BSD form), in place of "
                           "expect or with it")
          .field<&T::source>("source", "where the checksums came from")
          .field<&T::hold>("hold", "keep it off offer")
          .field<&T::despite_findings>("despite_findings",
                                       "add it even if it is truncated or damaged inside")
          .field<&T::vouch>("vouch", "record that the checksums agreed")
          .field<&T::suggest>("suggest", "use the facts in name and content")
          .field<&T::facts>("facts", "facts, by the names of FactFields")
          .done();
  return shape;
}

template <>
const Shape& shape_of<UploadWanted>() {
  using T = UploadWanted;
  static const Shape shape =
      ShapeOf<T>("UploadWanted", "an image in pieces")
          .field<&T::name>("name", "of the image")
          .needed()
          .field<&T::size>("size", "of the whole file", Unit::kBytes)
          .needed()
          .field<&T::description>("description", "its description")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Upload>() {
  using T = Upload;
  static const Shape shape =
      ShapeOf<T>("Upload", "an image in pieces, and its progress")
          .field<&T::number>("number", "for sending its pieces")
          .field<&T::name>("name", "of the image")
          .field<&T::bytes>("bytes", "received so far: the next piece begins there",
                            Unit::kBytes)
          .field<&T::size>("size", "of the whole file", Unit::kBytes)
          .field<&T::state>("state", "its state")
          .choices({"receiving", "filing", "filed", "refused"})
          .field<&T::why>("why", "why it was refused")
          .field<&T::looked_bytes>("looked_bytes",
                                   "in state filing: how much the look inside has read",
                                   Unit::kBytes)
          .done();
  return shape;
}

template <>
const Shape& shape_of<UploadList>() {
  using T = UploadList;
  static const Shape shape =
      ShapeOf<T>("UploadList", "images in pieces")
          .field<&T::uploads>("uploads",
                              "the caller's, the oldest first; ended ones for "
                              "an hour")
          .done();
  return shape;
}

template <>
const Shape& shape_of<UploadAsked>() {
  using T = UploadAsked;
  static const Shape shape = ShapeOf<T>("UploadAsked", "which upload")
                                 .field<&T::number>("number", "its number")
                                 .needed()
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<PieceAsked>() {
  using T = PieceAsked;
  static const Shape shape =
      ShapeOf<T>("PieceAsked", "which piece of which upload")
          .field<&T::number>("number", "its number")
          .needed()
          .field<&T::offset>("offset",
                             "where in the file the piece begins; 0 if not given",
                             Unit::kBytes)
          .range(0)
          .done();
  return shape;
}

template <>
const Shape& shape_of<FilingWanted>() {
  using T = FilingWanted;
  static const Shape shape =
      ShapeOf<T>("FilingWanted", "the end of an upload in pieces")
          .field<&T::sha256>("sha256",
                             "the sender's own checksum of the sent bytes; if it "
                             "differs, nothing is filed")
          .done();
  return shape;
}

}  // namespace vantro::api
