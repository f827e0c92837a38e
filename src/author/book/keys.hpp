#pragma once
/// The tables of a book: every key that there is, once.

#include <cstdint>

#include "author/book/rows.hpp"

namespace tidewater {

/// The largest limit of a sound or a group: as many as there can be voices.
inline constexpr std::int64_t most_at_once = 4096;

const RowsOf<Book>& head_rows();
const RowsOf<BookGroup>& group_rows();
const RowsOf<DuckDesign>& duck_rows();
const RowsOf<BookMood>& mood_rows();
const RowsOf<MoodGroupDesign>& mood_group_rows();  ///< of a mood's groups
const RowsOf<BookGauge>& gauge_rows();
const RowsOf<BookScope>& scope_rows();
const RowsOf<BookTraitValues>& trait_rows();
const RowsOf<BookSound>& sound_rows();
const RowsOf<BookLayer>& layer_rows();
const RowsOf<TrackDesign>& track_rows();
const RowsOf<BookLayer>& stem_rows();
const RowsOf<PartDesign>& part_rows();
const RowsOf<ChangeDesign>& change_rows();  ///< of a pair of tracks; a track has the same keys of its own
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
