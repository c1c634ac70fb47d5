'use client';
import { placeText, type Finding } from '@hinge/core';

/** An error in words: place first, then what, then what to do. */
export function ToldBox({ message, finding }: { message: string; finding?: Finding }) {
  const where = finding ? placeText(finding.place) : '';
  return (
    <div className="told" role="alert">
      {finding ? (
        <>
          <strong>{finding.message}.</strong> {finding.remedy}
          <div className="soft">
            {where && <code>{where}</code>} <code>{finding.code}</code>
          </div>
        </>
      ) : (
        message
      )}
    </div>
  );
}
