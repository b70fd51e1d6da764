//! Dates as they are written, and as they are in the site's time zone.

use std::cmp::Ordering;

use jiff::civil::{Date, DateTime, Time};
use jiff::tz::{Offset, TimeZone};
use jiff::{Span, Timestamp};
use serde::{Deserialize, Serialize};

/// The clock that a build is handed.
#[derive(Debug, Clone)]
pub struct Moment {
    /// The instant that counts as now.
    pub now: Timestamp,
    /// The site's time zone.
    pub zone: TimeZone,
}

/// A date as it was written, before it is known in which time zone.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct WrittenDate {
    /// The calendar day.
    pub date: Date,
    /// The time of day, where one was written.
    pub time: Option<Time>,
    /// The offset from UTC, where one was written.
    pub offset: Option<Offset>,
}

/// An instant together with its day and time in the site's time zone.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "Kept", into = "Kept")]
pub struct ZonedDate {
    /// The instant; of a date without a time, the first of its day.
    pub at: Timestamp,
    /// The day in the site's time zone.
    pub day: Date,
    /// The time of day in the site's time zone, where a time was written.
    pub time: Option<Time>,
    /// The offset from UTC in force in the site's time zone, in seconds.
    pub offset: i32,
}

/// A [`ZonedDate`] as it is kept: as numbers, and without what follows from them.
#[derive(Serialize, Deserialize)]
struct Kept {
    /// Nanoseconds since 1970.
    at: i128,
    offset: i32,
    timed: bool,
}

impl From<ZonedDate> for Kept {
    fn from(date: ZonedDate) -> Self {
        Self {
            at: date.at.as_nanosecond(),
            offset: date.offset,
            timed: date.time.is_some(),
        }
    }
}

impl TryFrom<Kept> for ZonedDate {
    type Error = jiff::Error;

    fn try_from(kept: Kept) -> Result<Self, Self::Error> {
        let at = Timestamp::from_nanosecond(kept.at)?;
        let zone = Offset::from_seconds(kept.offset)?.to_time_zone();
        Ok(Self::new(at, &zone, kept.timed))
    }
}

/// An interval of time: from `start` up to, not including, `end`; an instant when they are equal.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Interval {
    /// The first instant.
    pub start: Timestamp,
    /// One past the last, or `start` again for a single instant.
    pub end: Timestamp,
}

impl Interval {
    /// Returns the order of an instant: before, within, or after.
    #[must_use]
    pub fn order_of(&self, at: Timestamp) -> Ordering {
        if at < self.start {
            Ordering::Less
        } else if at >= self.end && at != self.start {
            Ordering::Greater
        } else {
            Ordering::Equal
        }
    }
}

/// A year, a month, a day, or an instant.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DatePart {
    /// All days of a year.
    Year(i16),
    /// All days of a month, 1 to 12, of a year.
    Month(i16, i8),
    /// One day.
    Day(Date),
    /// One instant, or a time of day in the site's time zone.
    Instant(WrittenDate),
}

/// Why a text is no date.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum DateError {
    /// The text has none of the known forms.
    Form,
    /// The form is right, but there is no such day or time.
    NotThere(String),
}

/// The forms in which a date can be written, for messages.
pub const FORMS: &str =
    "2026-03-14, 2026-03-14 09:00, 2026-03-14T09:00:00Z or 2026-03-14T09:00+01:00";

impl Moment {
    /// The day on which now falls, in the site's time zone.
    #[must_use]
    pub fn today(&self) -> Date {
        self.zone.to_datetime(self.now).date()
    }
}

/// Reads a date in one of the forms of [`FORMS`] (a profile of RFC 3339 in which the time, the
/// seconds and the offset may be missing, and the offset may be written without a colon).
///
/// # Errors
/// [`DateError::Form`] for any other form; [`DateError::NotThere`] for 30 February, hour 25 and
/// the like.
pub fn parse_date(text: &str) -> Result<WrittenDate, DateError> {
    let mut read = Digits { rest: text };
    let year = read.number(4)?;
    read.sign("-")?;
    let month = read.number(2)?;
    read.sign("-")?;
    let day = read.number(2)?;
    let date = civil_date(year, month, day);
    if read.rest.is_empty() {
        return Ok(WrittenDate {
            date: date?,
            time: None,
            offset: None,
        });
    }
    if read.sign("T").is_err() {
        read.sign(" ")?;
    }
    let time = read.time()?;
    let offset = read.offset()?;
    Ok(WrittenDate {
        date: date?,
        time: Some(time?),
        offset,
    })
}

/// Reads a date part: `2026`, `2026-03`, or a form of [`parse_date`].
///
/// # Errors
/// As [`parse_date`].
pub fn parse_part(text: &str) -> Result<DatePart, DateError> {
    let digits = |t: &str| t.bytes().all(|b| b.is_ascii_digit());
    match text.len() {
        4 if digits(text) => {
            let year = Digits { rest: text }.number(4)?;
            civil_date(year, 1, 1).map(|date| DatePart::Year(date.year()))
        }
        7 if text.as_bytes()[4] == b'-' && digits(&text[..4]) && digits(&text[5..]) => {
            let year = Digits { rest: text }.number(4)?;
            let month = Digits { rest: &text[5..] }.number(2)?;
            civil_date(year, month, 1).map(|date| DatePart::Month(date.year(), date.month()))
        }
        _ => parse_date(text).map(|written| match written.time {
            None => DatePart::Day(written.date),
            Some(_) => DatePart::Instant(written),
        }),
    }
}

/// A part of a day as links write it: `year` in four digits, `month` and `day` in two; `None`
/// for any other name.
#[must_use]
pub fn date_part(day: Date, name: &str) -> Option<String> {
    match name {
        "year" => Some(format!("{:04}", day.year())),
        "month" => Some(format!("{:02}", day.month())),
        "day" => Some(format!("{:02}", day.day())),
        _ => None,
    }
}

fn civil_date(year: i16, month: i16, day: i16) -> Result<Date, DateError> {
    let there = |month, day| Date::new(year, month, day).ok();
    let narrow = |n: i16| i8::try_from(n).unwrap_or(0);
    there(narrow(month), narrow(day)).ok_or_else(|| {
        DateError::NotThere(match there(narrow(month), 1) {
            None => format!("there is no month {month:02}"),
            Some(first) => format!("{year:04}-{month:02} has {} days", first.days_in_month()),
        })
    })
}

struct Digits<'a> {
    rest: &'a str,
}

impl Digits<'_> {
    fn number(&mut self, length: usize) -> Result<i16, DateError> {
        let (digits, rest) = self.rest.split_at_checked(length).ok_or(DateError::Form)?;
        if !digits.bytes().all(|b| b.is_ascii_digit()) {
            return Err(DateError::Form);
        }
        self.rest = rest;
        digits.parse().map_err(|_| DateError::Form)
    }

    fn sign(&mut self, sign: &str) -> Result<(), DateError> {
        self.rest = self.rest.strip_prefix(sign).ok_or(DateError::Form)?;
        Ok(())
    }

    /// `HH:MM`, `HH:MM:SS` or `HH:MM:SS.fraction`; the outer error is the form, the inner the hour.
    fn time(&mut self) -> Result<Result<Time, DateError>, DateError> {
        let hour = self.number(2)?;
        self.sign(":")?;
        let minute = self.number(2)?;
        let mut second = 0;
        let mut nanos = 0;
        if self.sign(":").is_ok() {
            second = self.number(2)?;
            if self.sign(".").is_ok() {
                nanos = self.fraction()?;
            }
        }
        let narrow = |n: i16| i8::try_from(n).unwrap_or(i8::MAX);
        Ok(
            Time::new(narrow(hour), narrow(minute), narrow(second), nanos).map_err(|_| {
                DateError::NotThere(format!(
                    "there is no time {hour:02}:{minute:02}:{second:02} in a day"
                ))
            }),
        )
    }

    fn fraction(&mut self) -> Result<i32, DateError> {
        let count = self.rest.bytes().take_while(u8::is_ascii_digit).count();
        if count == 0 {
            return Err(DateError::Form);
        }
        let digits = &self.rest[..count];
        self.rest = &self.rest[count..];
        let nine = format!("{:0<9}", &digits[..count.min(9)]);
        nine.parse().map_err(|_| DateError::Form)
    }

    fn offset(&mut self) -> Result<Option<Offset>, DateError> {
        if self.rest.is_empty() {
            return Ok(None);
        }
        if self.sign("Z").is_ok() {
            return if self.rest.is_empty() {
                Ok(Some(Offset::UTC))
            } else {
                Err(DateError::Form)
            };
        }
        let sign = if self.sign("+").is_ok() {
            1
        } else {
            self.sign("-")?;
            -1
        };
        let hours = i32::from(self.number(2)?);
        let _ = self.sign(":");
        let minutes = i32::from(self.number(2)?);
        if !self.rest.is_empty() {
            return Err(DateError::Form);
        }
        if hours > 23 || minutes > 59 {
            return Err(DateError::NotThere(format!(
                "there is no offset of {hours:02}:{minutes:02} from UTC"
            )));
        }
        Offset::from_seconds(sign * (hours * 3600 + minutes * 60))
            .map(Some)
            .map_err(|_| DateError::Form)
    }
}

impl WrittenDate {
    /// The instant in `zone`, where no offset was written. A time that the clock change skips
    /// moves forward; of a doubled one the first is meant.
    ///
    /// # Errors
    /// At the very ends of the calendar, where an instant cannot be told.
    pub fn zoned(&self, zone: &TimeZone) -> Result<ZonedDate, DateError> {
        let out = |_| DateError::NotThere("the calendar ends before that".to_owned());
        let local = DateTime::from_parts(self.date, self.time.unwrap_or_default());
        let at = match self.offset {
            Some(offset) => offset.to_timestamp(local).map_err(out)?,
            None => zone
                .to_ambiguous_timestamp(local)
                .compatible()
                .map_err(out)?,
        };
        Ok(ZonedDate::new(at, zone, self.time.is_some()))
    }
}

impl ZonedDate {
    /// `at` as the site's time zone sees it.
    #[must_use]
    pub fn new(at: Timestamp, zone: &TimeZone, timed: bool) -> Self {
        let local = zone.to_datetime(at);
        Self {
            at,
            day: local.date(),
            time: timed.then(|| local.time()),
            offset: zone.to_offset(at).seconds(),
        }
    }

    /// `2026-03-14`, or `2026-03-14T09:00:00+01:00` (RFC 3339) where a time was written.
    #[must_use]
    pub fn iso(&self) -> String {
        match self.time {
            None => {
                let mut text = String::with_capacity("2026-03-14".len());
                push_day(&mut text, self.day);
                text
            }
            Some(_) => self.rfc3339(),
        }
    }

    /// Date, time and offset by RFC 3339, whole seconds, in the site's time zone.
    #[must_use]
    pub fn rfc3339(&self) -> String {
        let offset = Offset::from_seconds(self.offset).unwrap_or(Offset::UTC);
        let local = offset.to_datetime(self.at);
        let mut text = String::with_capacity("2026-03-14T09:00:00+01:00".len());
        push_day(&mut text, local.date());
        for (before, number) in [
            ('T', local.hour()),
            (':', local.minute()),
            (':', local.second()),
        ] {
            text.push(before);
            push_two(&mut text, number);
        }
        self.push_offset(&mut text, "Z", ":");
        text
    }

    /// Date and time by RFC 822 with a four-digit year, as RSS 2.0 asks.
    #[must_use]
    pub fn rfc822(&self) -> String {
        let offset = Offset::from_seconds(self.offset).unwrap_or(Offset::UTC);
        let local = offset.to_datetime(self.at);
        let mut text = local.strftime("%a, %d %b %Y %H:%M:%S ").to_string();
        self.push_offset(&mut text, "+0000", "");
        text
    }

    /// Appends the offset from UTC to a time: `zero`, or `+01:00` with the text `between` hours and minutes.
    fn push_offset(&self, text: &mut String, zero: &str, between: &str) {
        if self.offset == 0 {
            return text.push_str(zero);
        }
        text.push(if self.offset < 0 { '-' } else { '+' });
        let minutes = self.offset.abs() / 60;
        push_two(text, minutes / 60);
        text.push_str(between);
        push_two(text, minutes % 60);
    }
}

/// A day as ISO 8601 has it. Written digit by digit, as every list shows dates: a pattern takes ten
/// times as long.
fn push_day(text: &mut String, day: Date) {
    if !(0..=9999).contains(&day.year()) {
        return text.push_str(&day.to_string());
    }
    push_two(text, day.year() / 100);
    push_two(text, day.year() % 100);
    for part in [day.month(), day.day()] {
        text.push('-');
        push_two(text, part);
    }
}

/// The numbers from 0 to 99, two digits each.
const TWO: &str = "00010203040506070809101112131415161718192021222324252627282930313233343536373839\
    40414243444546474849505152535455565758596061626364656667686970717273747576777879\
    8081828384858687888990919293949596979899";

/// A number from 0 to 99 as two digits.
fn push_two(text: &mut String, number: impl Into<i64>) {
    let at = 2 * usize::try_from(number.into()).unwrap_or_default();
    text.push_str(TWO.get(at..at + 2).unwrap_or_default());
}

impl DatePart {
    /// Returns all instants of the part, in `zone`.
    ///
    /// # Errors
    /// At the very ends of the calendar.
    pub fn interval(&self, zone: &TimeZone) -> Result<Interval, DateError> {
        match self {
            DatePart::Year(year) => days(civil_date(*year, 1, 1)?, Span::new().years(1), zone),
            DatePart::Month(year, month) => days(
                civil_date(*year, i16::from(*month), 1)?,
                Span::new().months(1),
                zone,
            ),
            DatePart::Day(day) => days(*day, Span::new().days(1), zone),
            DatePart::Instant(written) => {
                let at = written.zoned(zone)?.at;
                Ok(Interval { start: at, end: at })
            }
        }
    }
}

fn days(first: Date, length: Span, zone: &TimeZone) -> Result<Interval, DateError> {
    let out = |_| DateError::NotThere("the calendar ends before that".to_owned());
    let midnight = |day: Date| {
        zone.to_ambiguous_timestamp(day.at(0, 0, 0, 0))
            .compatible()
            .map_err(out)
    };
    Ok(Interval {
        start: midnight(first)?,
        end: midnight(first.checked_add(length).map_err(out)?)?,
    })
}

/// Returns the number of a month, 1 to 12, by its English name or the first three or more letters of it, in any case.
#[must_use]
pub fn month_number(name: &str) -> Option<usize> {
    const MONTHS: [&str; 12] = [
        "january",
        "february",
        "march",
        "april",
        "may",
        "june",
        "july",
        "august",
        "september",
        "october",
        "november",
        "december",
    ];
    let name = name.trim().trim_end_matches('.').to_lowercase();
    let at = MONTHS.iter().position(|month| month.starts_with(&name))?;
    (name.len() >= 3).then_some(at + 1)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn london() -> TimeZone {
        TimeZone::get("Europe/London").unwrap()
    }

    #[rstest]
    #[case::day("2026-03-14", "2026-03-14T00:00:00Z")]
    #[case::minutes("2026-03-14 09:30", "2026-03-14T09:30:00Z")]
    #[case::summer_time("2026-07-14T09:30:15", "2026-07-14T08:30:15Z")]
    #[case::summer_midnight("2026-07-14", "2026-07-13T23:00:00Z")]
    #[case::fraction("2026-07-14T09:30:15.25Z", "2026-07-14T09:30:15.25Z")]
    #[case::offset_with_colon("2026-07-14T09:30+05:30", "2026-07-14T04:00:00Z")]
    #[case::offset_without_colon("2026-07-14 09:30-0100", "2026-07-14T10:30:00Z")]
    #[case::skipped_time_moves_forward("2026-03-29 01:30", "2026-03-29T01:30:00Z")]
    #[case::doubled_time_is_the_first("2026-10-25 01:30", "2026-10-25T00:30:00Z")]
    fn a_date_is_read_in_the_sites_time_zone(#[case] text: &str, #[case] utc: &str) {
        let date = parse_date(text).unwrap().zoned(&london()).unwrap();
        assert_eq!(date.at, utc.parse::<Timestamp>().unwrap());
    }

    #[rstest]
    #[case::a_day("2026-03-14")]
    #[case::a_time("2026-07-14T09:00")]
    #[case::a_fraction("2026-03-14T09:00:00.123456789")]
    #[case::another_zone("2026-03-14T23:30-08:00")]
    #[case::a_time_that_is_skipped("2026-03-29T01:30")]
    #[case::long_before_1970("1815-06-18T11:35")]
    fn a_moment_is_kept_whole(#[case] text: &str) {
        let date = parse_date(text).unwrap().zoned(&london()).unwrap();
        let kept = serde_json::to_string(&date).unwrap();
        assert_eq!(serde_json::from_str::<ZonedDate>(&kept).unwrap(), date);
    }

    #[rstest]
    #[case::words("March 2026")]
    #[case::slashes("14/03/2026")]
    #[case::one_digit("2026-3-4")]
    #[case::trailing("2026-03-14x")]
    #[case::hour_only("2026-03-14T09")]
    #[case::empty_fraction("2026-03-14T09:00:00.")]
    #[case::short_offset("2026-03-14T09:00+01")]
    #[case::non_ascii("２０２６-03-14")]
    #[case::empty("")]
    fn other_forms_are_refused(#[case] text: &str) {
        assert_eq!(parse_date(text), Err(DateError::Form));
    }

    #[rstest]
    #[case::february("2026-02-30", "2026-02 has 28 days")]
    #[case::leap_year("2024-02-30", "2024-02 has 29 days")]
    #[case::month("2026-13-01", "there is no month 13")]
    #[case::hour("2026-03-14 25:00", "there is no time 25:00:00 in a day")]
    #[case::offset("2026-03-14 05:00+24:00", "there is no offset of 24:00 from UTC")]
    fn dates_that_do_not_exist_say_why(#[case] text: &str, #[case] why: &str) {
        assert_eq!(parse_date(text), Err(DateError::NotThere(why.to_owned())));
    }

    #[rstest]
    #[case::year("2026", "2026-01-01T00:00:00Z", "2027-01-01T00:00:00Z")]
    #[case::month("2026-03", "2026-03-01T00:00:00Z", "2026-03-31T23:00:00Z")]
    #[case::day("2026-03-29", "2026-03-29T00:00:00Z", "2026-03-29T23:00:00Z")]
    #[case::instant("2026-03-14T09:00", "2026-03-14T09:00:00Z", "2026-03-14T09:00:00Z")]
    fn a_part_stands_for_all_of_its_days(
        #[case] text: &str,
        #[case] start: &str,
        #[case] end: &str,
    ) {
        let interval = parse_part(text).unwrap().interval(&london()).unwrap();
        assert_eq!(interval.start, start.parse::<Timestamp>().unwrap());
        assert_eq!(interval.end, end.parse::<Timestamp>().unwrap());
    }

    #[rstest]
    #[case::summer(
        "2026-07-04 09:05",
        "Europe/London",
        "2026-07-04T09:05:00+01:00",
        "Sat, 04 Jul 2026 09:05:00 +0100"
    )]
    #[case::utc(
        "2026-12-31T23:59:58.9",
        "Europe/London",
        "2026-12-31T23:59:58Z",
        "Thu, 31 Dec 2026 23:59:58 +0000"
    )]
    #[case::west(
        "0987-01-02T10:20:30Z",
        "Etc/GMT+3",
        "0987-01-02T07:20:30-03:00",
        "Tue, 02 Jan 0987 07:20:30 -0300"
    )]
    fn dates_print_by_their_standards(
        #[case] written: &str,
        #[case] zone: &str,
        #[case] rfc3339: &str,
        #[case] rfc822: &str,
    ) {
        let zone = TimeZone::get(zone).unwrap();
        let date = parse_date(written).unwrap().zoned(&zone).unwrap();
        assert_eq!(date.rfc3339(), rfc3339);
        assert_eq!(date.rfc822(), rfc822);
    }
}
