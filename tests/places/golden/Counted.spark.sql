WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `first` AS (
  SELECT
    *
  FROM (
    SELECT
      *,
      ROW_NUMBER() OVER (PARTITION BY `route` ORDER BY `~row` ASC NULLS LAST) AS `~nr 1`
    FROM `lane`
  ) AS `w`
  WHERE
    `~nr 1` <= 1
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`
FROM `first`
