#include "join/work.hpp"

namespace halvo {
namespace {

void join_with(Model& model, const ContactTable& contacts, const JoinOptions& options, const Observer& observer) {
    JoinWork work = prepare(model, options);
    observer.tell("join", 0.65);
    find_sheet_joints(model, contacts, work);
    find_member_joints(model, contacts, work);
    observer.tell("join", 0.8);
    carry_out(model, work);
    observer.tell("join", 1);
}

}  // namespace

void join(Model& model, const Assembly& solids, const JoinOptions& options, const Observer& observer) {
    join_with(model, ContactTable(find_contacts(solids, options.reach, observer)), options, observer);
}

void join(Model& model, const JoinOptions& options, const Observer& observer) {
    join_with(model, ContactTable(), options, observer);
}

}  // namespace halvo
