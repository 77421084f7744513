#include "manage/upload_routes.h"

#include "api/operations.h"
#include "desk/uploads.h"
#include "manage/answers.h"
#include "manage/convert_catalogue.h"
#include "manage/image_routes.h"

namespace vantro::manage {
namespace {

using base::Kind;

api::Upload upload_shape(const desk::Uploads::View& view) {
  return {view.number,      view.name, view.bytes,       view.size,
          word(view.state), view.why,  view.looked_bytes};
}

base::Outcome<api::Upload> answer_of(const base::Outcome<desk::Uploads::View>& view) {
  if (!view) return base::refuse(view.error());
  return upload_shape(*view);
}

base::Outcome<desk::Uploads*> uploads(Service& service) {
  if (service.uploads != nullptr) return service.uploads;
  return base::refuse(Kind::kInvalid, "this server accepts no images in pieces");
}

base::Outcome<gate::IntakeOptions> options_of(const std::string& name,
                                              const api::UploadDescription& given) {
  api::ImageGiven image;
  image.name = name;
  image.expect = given.expect;
  image.source = given.source;
  image.hold = given.hold;
  image.despite_findings = given.despite_findings;
  image.vouch = given.vouch;
  image.suggest = given.suggest;
  image.fact = given.facts;
  auto options = intake_options(image);
  if (!options || given.list.empty()) return options;
  auto listed = claims_from_list(given.list, {name}, given.source, "");
  if (!listed) return base::refuse(listed.error());
  options->claims.insert(options->claims.end(), listed->begin(), listed->end());
  return options;
}

base::Outcome<api::Upload> begin(Service& service, const Call& call, const api::Nothing&,
                                 const api::UploadWanted& given) {
  const auto all = uploads(service);
  if (!all) return base::refuse(all.error());
  auto options = options_of(given.name, given.description);
  if (!options) return base::refuse(options.error());
  options->size = given.size;
  options->by = call.caller.by();
  return answer_of((*all)->begin(call.caller, std::move(*options)));
}

base::Outcome<api::Upload> describe(Service& service, const Call& call,
                                    const api::UploadAsked& asked,
                                    const api::UploadDescription& given) {
  const auto all = uploads(service);
  if (!all) return base::refuse(all.error());
  const auto known = (*all)->find(call.caller, asked.number);
  if (!known) return base::refuse(known.error());
  auto options = options_of(known->name, given);
  if (!options) return base::refuse(options.error());
  return answer_of((*all)->describe(call.caller, asked.number, std::move(*options)));
}

base::Outcome<api::UploadList> list(Service& service, const Call& call,
                                    const api::Nothing&) {
  const auto all = uploads(service);
  if (!all) return base::refuse(all.error());
  api::UploadList result;
  for (const auto& one : (*all)->list(call.caller))
    result.uploads.push_back(upload_shape(one));
  return result;
}

base::Outcome<api::Upload> find(Service& service, const Call& call,
                                const api::UploadAsked& asked) {
  const auto all = uploads(service);
  if (!all) return base::refuse(all.error());
  return answer_of((*all)->find(call.caller, asked.number));
}

base::Outcome<api::Upload> append(Service& service, const Call& call,
                                  const api::PieceAsked& asked,
                                  const std::string& bytes) {
  const auto all = uploads(service);
  if (!all) return base::refuse(all.error());
  return answer_of(
      (*all)->append(call.caller, asked.number, asked.offset, base::as_bytes(bytes)));
}

base::Outcome<net::http::Answer> file(Service& service, const Call& call,
                                      const api::FilingWanted& given) {
  const auto all = uploads(service);
  if (!all) return base::refuse(all.error());
  const auto asked = asked_in<api::UploadAsked>(call);
  if (!asked) return base::refuse(asked.error());
  const auto filed = (*all)->file(call.caller, asked->number, given.sha256);
  if (!filed) return base::refuse(filed.error());
  if (!filed->taken) {
    return unfit(filed->taken.error(), filed->differing, filed->actual);
  }
  const auto& taken = *filed->taken;
  return text(
      200, kJsonType,
      api::json_of(shape(taken, taken.compared, *service.repository.offer_index())));
}

base::Outcome<api::Nothing> drop(Service& service, const Call& call,
                                 const api::UploadAsked& asked) {
  const auto all = uploads(service);
  if (!all) return base::refuse(all.error());
  if (auto done = (*all)->drop(call.caller, asked.number); !done) {
    return base::refuse(done.error());
  }
  return api::Nothing{};
}

}  // namespace

void upload_routes(Routes& routes) {
  routes.add(api::kBeginUpload, begin);
  routes.add(api::kUploads, list);
  routes.add(api::kUpload, find);
  routes.add(api::kDescribeUpload, describe);
  routes.add(api::kSendPiece, append);
  routes.add_slow_answer(api::kFileUpload, file);
  routes.add(api::kDropUpload, drop);
}

}  // namespace vantro::manage
