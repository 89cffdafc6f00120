WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `routes`
), `bay` AS (
  SELECT
    `l`.*
  FROM `lane` AS `l`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `lane 2` AS `r`
      WHERE
        `l`.`route` = `r`.`code`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`
FROM `bay`
