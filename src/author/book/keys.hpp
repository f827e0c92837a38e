#pragma once
/// The tables of a book: every key that there is, once.

#include "author/book/rows.hpp"

namespace tidewater {

const RowsOf<Book>& head_rows();
const RowsOf<BookGroup>& group_rows();
const RowsOf<BookGauge>& gauge_rows();
const RowsOf<BookScope>& scope_rows();
const RowsOf<BookTraitValues>& trait_rows();
const RowsOf<BookSound>& sound_rows();
const RowsOf<BookLayer>& layer_rows();
const RowsOf<FollowDesign>& follow_rows();
const RowsOf<SketchPlan>& sketch_rows();
const RowsOf<BookResponse>& event_rows();     ///< of an event that has one response
const RowsOf<BookResponse>& response_rows();  ///< of one in a list
const RowsOf<BookBank>& bank_rows();
const RowsOf<BookTarget>& target_rows();
const RowsOf<BookWays>& way_rows();  ///< of a target's groups
const RowsOf<BookCredit>& credit_rows();
const RowsOf<BookAccepted>& accepted_rows();

}  // namespace tidewater
