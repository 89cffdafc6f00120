"""What a session on a cluster sets, whatever the cluster is used to: settings that change meaning.

Those that only change how quickly it answers are the cluster's own matter.
"""

from __future__ import annotations

from collections.abc import Mapping

MEANINGS: Mapping[str, str] = {
    "spark.sql.ansi.enabled": "true",  # what does not fit is an error, not another number
    "spark.sql.caseSensitive": "true",
    "spark.sql.session.timeZone": "UTC",
    "spark.sql.timestampType": "TIMESTAMP_LTZ",
    "spark.sql.decimalOperations.allowPrecisionLoss": "false",
    "spark.sql.crossJoin.enabled": "true",
    "spark.sql.storeAssignmentPolicy": "ANSI",
    # how a statement is read: texts, names, numbers, brackets
    "spark.sql.parser.escapedStringLiterals": "false",
    "spark.sql.parser.quotedRegexColumnNames": "false",
    "spark.sql.ansi.doubleQuotedIdentifiers": "false",
    "spark.sql.ansi.enforceReservedKeywords": "false",
    "spark.sql.ansi.relationPrecedence": "false",
    "spark.sql.groupByOrdinal": "true",
    "spark.sql.orderByOrdinal": "true",
    "spark.sql.legacy.bangEqualsNot": "false",
    "spark.sql.legacy.consecutiveStringLiterals.enabled": "false",
    "spark.sql.legacy.ctePrecedencePolicy": "CORRECTED",
    "spark.sql.legacy.duplicateBetweenInput": "false",
    "spark.sql.legacy.exponentLiteralAsDecimal.enabled": "false",
    "spark.sql.legacy.literal.pickMinimumPrecision": "true",
    "spark.sql.legacy.parser.havingWithoutGroupByAsWhere": "false",
    "spark.sql.legacy.setopsPrecedence.enabled": "false",
    # what is worked out
    "spark.sql.legacy.allowNegativeScaleOfDecimal": "false",
    "spark.sql.legacy.codingErrorAction": "false",
    "spark.sql.legacy.decimal.retainFractionDigitsOnTruncate": "false",
    "spark.sql.legacy.doLooseUpcast": "false",
    "spark.sql.legacy.inSubqueryNullability": "false",
    "spark.sql.legacy.interval.enabled": "false",
    "spark.sql.legacy.javaCharsets": "false",
    "spark.sql.legacy.lpadRpadAlwaysReturnString": "false",
    "spark.sql.legacy.percentileDiscCalculation": "false",
    "spark.sql.legacy.scalarSubqueryCountBugBehavior": "false",
    "spark.sql.legacy.statisticalAggregate": "false",
    "spark.sql.legacy.timeParserPolicy": "CORRECTED",
    "spark.sql.legacy.truncateForEmptyRegexSplit": "false",
    "spark.sql.legacy.typeCoercion.datetimeToString.enabled": "false",
    # what is read: all of it or an error, dates by the one calendar that this machine has
    "spark.sql.files.ignoreCorruptFiles": "false",
    "spark.sql.files.ignoreMissingFiles": "false",
    "spark.sql.files.ignoredPathSegmentRegex": "^[._]",
    "spark.sql.files.ignoreInvalidPartitionPaths": "false",
    "spark.sql.legacy.parquet.nanosAsLong": "false",
    "spark.sql.parquet.binaryAsString": "false",
    "spark.sql.parquet.datetimeRebaseModeInRead": "CORRECTED",
    "spark.sql.parquet.fieldId.read.enabled": "false",
    "spark.sql.parquet.inferTimestampNTZ.enabled": "true",
    "spark.sql.parquet.int96AsTimestamp": "true",
    "spark.sql.parquet.int96RebaseModeInRead": "CORRECTED",
    "spark.sql.parquet.int96TimestampConversion": "false",
    "spark.sql.parquet.mergeSchema": "false",
    "spark.sql.parquet.respectSummaryFiles": "false",
    "spark.sql.charAsVarchar": "false",
    "spark.sql.legacy.charVarcharAsString": "false",
    "spark.sql.readSideCharPadding": "true",
    "spark.sql.legacy.jdbc.timeMapping.enabled": "false",
    "spark.sql.legacy.mysql.bitArrayMapping.enabled": "false",
    "spark.sql.legacy.mysql.timestampNTZMapping.enabled": "false",
    "spark.sql.legacy.postgres.datetimeMapping.enabled": "false",
    # what is written: types that every reader of Parquet knows
    "spark.sql.parquet.datetimeRebaseModeInWrite": "CORRECTED",
    "spark.sql.parquet.int96RebaseModeInWrite": "CORRECTED",
    "spark.sql.parquet.outputTimestampType": "TIMESTAMP_MICROS",
    "spark.sql.parquet.writeLegacyFormat": "false",
}
"""The value of each; a cluster that lets none be set is refused in its own words."""
